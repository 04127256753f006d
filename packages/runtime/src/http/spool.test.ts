import { describe, expect, test } from "@jest/globals";
import { until } from "@loyal-quill/testing";
import { throughSpool } from "./spool.js";

/** Parts of so many bytes each, and how many of them were taken. */
function parts(count: number, size: number) {
  const told = { taken: 0, ended: false };
  async function* made(): AsyncGenerator<Buffer> {
    try {
      for (let index = 0; index < count; index++) {
        told.taken = index + 1;
        yield Buffer.alloc(size, index % 251);
      }
    } finally {
      told.ended = true;
    }
  }
  return { made: made(), told };
}
const whole = (count: number, size: number): Buffer =>
  Buffer.concat(Array.from({ length: count }, (_, index) => Buffer.alloc(size, index % 251)));
describe("a spool", () => {
  test.each([
    ["in memory", 5, 100, { memory: 10_000, disk: 10_000 }],
    ["on disk", 200, 1000, { memory: 3000, disk: 1_000_000 }],
    ["on disk, more than there is room for", 400, 1000, { memory: 3000, disk: 20_000 }],
    ["in parts larger than all room", 6, 50_000, { memory: 1000, disk: 10_000 }],
  ])("hands on what it was given, whole and in order: %s", async (_how, count, size, most) => {
    const { made } = parts(count, size);
    const got: Buffer[] = [];
    await throughSpool(
      made,
      async (kept) => {
        for await (const part of kept) {
          got.push(part);
          if (got.length % 7 === 0) await new Promise((resolve) => setImmediate(resolve));
        }
      },
      most,
    );
    expect(Buffer.concat(got).equals(whole(count, size))).toBe(true);
  });

  test("takes everything while nobody reads, as far as there is room", async () => {
    const { made, told } = parts(300, 1000);
    await throughSpool(
      made,
      async (kept) => {
        await until(() => told.ended);
        let length = 0;
        for await (const part of kept) length += part.length;
        expect(length).toBe(300_000);
      },
      { memory: 3000, disk: 1_000_000 },
    );
    const more = parts(300, 1000);
    await throughSpool(
      more.made,
      async (kept) => {
        // Three in memory, twenty on disk, and one that waits.
        await until(() => more.told.taken === 24);
        for await (const part of kept) expect(part.length).toBeGreaterThan(0);
      },
      { memory: 3000, disk: 20_000 },
    );
    expect(more.told).toEqual({ taken: 300, ended: true });
  });

  test("ends what it takes from as soon as nobody reads any more", async () => {
    const { made, told } = parts(1_000_000, 1000);
    const gone = throughSpool(
      made,
      async (kept) => {
        for await (const part of kept) if (part) throw new Error("gone");
      },
      { memory: 3000, disk: 20_000 },
    );
    await expect(gone).rejects.toThrow("gone");
    expect(told.ended).toBe(true);
    expect(told.taken).toBeLessThan(100);
  });

  test("fails as what it takes from does, after what came before", async () => {
    async function* broken(): AsyncGenerator<string> {
      yield "first";
      throw new Error("the connection is gone");
    }
    const got: string[] = [];
    const failed = throughSpool(broken(), async (kept) => {
      for await (const part of kept) got.push(part.toString());
    });
    await expect(failed).rejects.toThrow("the connection is gone");
    expect(got).toEqual(["first"]);
  });
});
