import { createHash } from "node:crypto";
import busboy from "busboy";
import type { Request, RequestHandler, Response } from "express";
import { form, readBefore } from "./answers.js";

export interface SentFile {
  /** Its media type, as the browser names it. */
  readonly type: string;
  readonly content: Buffer;
}
export type Files = Readonly<Record<string, SentFile>>;

/** The most that is read of a form's files together, and of its texts together, in bytes. */
const [mostOfFiles, mostOfTexts] = [16_777_216, 1_048_576];

const sent = new WeakMap<Request, Files>();

/** The files that were sent with a form, by the names of their controls. */
export const filesOf = (request: Request): Files => sent.get(request) ?? {};

/** Reads a form that is sent in parts (RFC 7578) with its files, and any other as forms are read. Of files of somebody who isn't signed in only the name is kept. */
export const fileForm =
  (actor: (request: Request) => unknown): RequestHandler =>
  (request, response, next) => {
    if (!request.is("multipart")) form(request, response, next);
    else if (request.readableDidRead) next(readBefore());
    else readParts(request, actor).then(() => next(), next);
  };

async function readParts(request: Request, actor: (request: Request) => unknown): Promise<void> {
  const isKnown = Boolean(await actor(request));
  const texts = new Map<string, string | string[]>();
  const files = new Map<string, SentFile>();
  let size = 0;
  let length = 0;
  let isTooLarge = false;
  const tooLarge = (): void => {
    isTooLarge = true;
  };
  const isRead = await new Promise<boolean>((resolve) => {
    try {
      const parser = busboy({
        headers: request.headers,
        defParamCharset: "utf8",
        limits: { fieldSize: mostOfTexts, fields: 2000, files: 50 },
      });
      parser
        .on("field", (name, text, { valueTruncated }) => {
          length += Buffer.byteLength(name) + Buffer.byteLength(text);
          if (valueTruncated || length > mostOfTexts) return tooLarge();
          texts.set(name, texts.has(name) ? [texts.get(name) ?? "", text].flat() : text);
        })
        .on("file", (name, stream, { filename, mimeType }) => {
          if (!isKnown) {
            if (filename)
              texts.set(name, `${filename}. A file can’t be kept: choose it again after you have signed in.`);
            stream.resume();
            return;
          }
          const parts: Buffer[] = [];
          stream.on("data", (part: Buffer) => {
            size += part.length;
            // What is too much is read to its end, so that the answer can be given, and not kept.
            if (size <= mostOfFiles) parts.push(part);
            else tooLarge();
          });
          // A control in which nothing was chosen sends a part without a name (HTML, 4.10.21.4).
          stream.on(
            "end",
            () => filename && files.set(name, { type: mimeType.toLowerCase(), content: Buffer.concat(parts) }),
          );
        })
        .on("fieldsLimit", tooLarge)
        .on("filesLimit", tooLarge)
        .on("error", () => resolve(false))
        .on("close", () => resolve(true));
      request.on("error", () => resolve(false)).pipe(parser);
    } catch {
      // It does not say how its parts are told apart.
      resolve(false);
    }
  });
  // What is no form has no body.
  request.body = isRead ? Object.fromEntries(texts) : undefined;
  if (isTooLarge) throw Object.assign(new Error("The form is too large."), { status: 413 });
  sent.set(request, Object.fromEntries(files));
}

/** Whether a file that was sent is the stored one, by what stands for that in a record. */
export const isSameFile = (file: SentFile | undefined, stored: string | null): boolean =>
  file !== undefined &&
  stored === `sha256:${createHash("sha256").update(file.content).digest("hex")}:${file.content.length}`;

/** Sends a stored file to be kept, and never shown: what it holds is not known. */
export function sendFile(response: Response, name: string, content: Buffer): void {
  response.set({ "cache-control": "no-store", "x-content-type-options": "nosniff" }).attachment(name);
  response.type("application/octet-stream").send(content);
}

/** A file's size as people read it, by what stands for it in a record: powers of a thousand (IEC 80000-13). */
export function toldSize(stored: string): string {
  const bytes = Number(stored.split(":").at(-1));
  const power = Math.min(3, bytes < 1000 ? 0 : Math.floor(Math.log10(bytes) / 3));
  const unit = ["byte", "kilobyte", "megabyte", "gigabyte"][power] ?? "byte";
  const format = new Intl.NumberFormat("en", {
    style: "unit",
    unit,
    unitDisplay: "short",
    maximumFractionDigits: power === 0 ? 0 : 1,
  });
  return format.format(bytes / 1000 ** power);
}
