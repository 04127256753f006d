import { type FileHandle, mkdtemp, open, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";

/** So much waits in memory for its reader, and so much more on disk, in bytes. */
const usual = { memory: 1_048_576, disk: 268_435_456 };
/** How long there may be no room for more, in milliseconds: what it comes from is not held for somebody who reads a list for hours. */
const mostWait = 300_000;
/** So much is read from the disk at a time. */
const piece = 65_536;

/** A file that only this process can reach: it has no name any more. */
async function namelessFile(): Promise<FileHandle> {
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-"));
  try {
    return await open(path.join(directory, "spool"), "wx+", 0o600);
  } finally {
    await rm(directory, { recursive: true, force: true });
  }
}

/**
 * The parts of an answer on their way to whoever reads it: they are taken from where they come as fast as they come, and kept until they are
 * read, in memory and then in a file. So what they come from, like a connection, is free again however slowly they are read. Where more is kept
 * than there is room for, they are waited for.
 */
class Spool {
  private readonly queue: Buffer[] = [];
  private queued = 0;
  private file: FileHandle | null = null;
  private readonly places = { written: 0, ready: 0, read: 0 };
  private state: "filling" | "whole" | "left" | { readonly error: unknown } = "filling";
  private wake: () => void = () => {};
  private changed = this.next();

  constructor(private readonly most: typeof usual) {}

  private next(): Promise<void> {
    return new Promise((resolve) => {
      this.wake = resolve;
    });
  }

  private tell(): void {
    const wake = this.wake;
    this.changed = this.next();
    wake();
  }

  private get isOnDisk(): boolean {
    return this.places.written > 0;
  }

  /** Takes all parts. */
  async fill(parts: AsyncIterable<string | Uint8Array>): Promise<void> {
    try {
      for await (const part of parts) {
        await this.keep(typeof part === "string" ? Buffer.from(part) : Buffer.from(part));
        if (this.state === "left") return;
      }
      this.state = "whole";
    } catch (error) {
      this.state = { error };
    } finally {
      this.tell();
    }
  }

  private async keep(part: Buffer): Promise<void> {
    if (!this.isOnDisk && (this.queued + part.length <= this.most.memory || this.queued === 0)) {
      this.queue.push(part);
      this.queued += part.length;
      this.tell();
      return;
    }
    const end = Date.now() + mostWait;
    while (this.places.written + part.length > this.most.disk && this.isOnDisk && this.state === "filling") {
      if (Date.now() > end) throw new Error("what was sent is read too slowly");
      await Promise.race([this.changed, new Promise((resolve) => setTimeout(resolve, 1000).unref())]);
    }
    if (this.state !== "filling") return;
    const { places } = this;
    const at = places.written;
    places.written += part.length;
    this.file ??= await namelessFile();
    const { bytesWritten } = await this.file.write(part, 0, part.length, at);
    // A disk that is filling up takes a part of it first, and says nothing (POSIX, write).
    if (bytesWritten < part.length) throw new Error("there is no room left for what waits for its reader");
    places.ready = places.written;
    this.tell();
  }

  /** The parts in their order. @throws what has ended them before their end */
  async *read(): AsyncGenerator<Buffer> {
    const { places } = this;
    for (;;) {
      const { changed } = this;
      const part = this.queue.shift();
      if (part) {
        this.queued -= part.length;
        yield part;
      } else if (places.read < places.ready && this.file) {
        const buffer = Buffer.allocUnsafe(Math.min(piece, places.ready - places.read));
        const { bytesRead } = await this.file.read(buffer, 0, buffer.length, places.read);
        places.read += bytesRead;
        if (places.read === places.written) {
          Object.assign(places, { written: 0, ready: 0, read: 0 });
          this.tell();
        }
        yield buffer.subarray(0, bytesRead);
      } else if (this.state === "whole") return;
      else if (typeof this.state === "object") throw this.state.error;
      else await changed;
    }
  }

  /** Nobody reads any more. */
  leave(): void {
    if (this.state === "filling") this.state = "left";
    this.tell();
  }

  async close(): Promise<void> {
    await this.file?.close();
  }
}

/**
 * Hands parts on to a reader who may be slow, and takes them as fast as they come.
 *
 * @param read takes what it is given, and ends once it is over
 * @throws what reading or the parts end with
 */
export async function throughSpool(
  parts: AsyncIterable<string | Uint8Array>,
  read: (parts: AsyncIterable<Buffer>) => Promise<void>,
  most: typeof usual = usual,
): Promise<void> {
  const spool = new Spool(most);
  const filled = spool.fill(parts);
  try {
    await read(spool.read());
  } finally {
    spool.leave();
    await filled;
    await spool.close();
  }
}
