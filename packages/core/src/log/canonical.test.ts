import { describe, expect, test } from "@jest/globals";
import { hexOf, MerkleTree, rangesOf, type Sha256 } from "./canonical.js";

/** No hash at all: it shows what would be hashed. */
const shown: Sha256 = (...parts) =>
  Uint8Array.from([
    40,
    ...parts.flatMap((part) => (typeof part === "string" ? [...part].map((c) => c.charCodeAt(0)) : [...part])),
    41,
  ]);
const rootOf = (count: number): string => {
  const tree = new MerkleTree(shown);
  for (let leaf = 0; leaf < count; leaf++) tree.add(Uint8Array.of(97 + leaf));
  const root = tree.root();
  return root === null ? "" : [...root].map((byte) => (byte < 3 ? String(byte) : String.fromCharCode(byte))).join("");
};

/** The tree as RFC 6962, 2.1, defines it: cut at the largest power of two below the number of leaves. */
function byDefinition(leaves: readonly number[]): string {
  if (leaves.length === 1) return `(0${String.fromCharCode(97 + (leaves[0] ?? 0))})`;
  let cut = 1;
  while (cut * 2 < leaves.length) cut *= 2;
  return `(1${byDefinition(leaves.slice(0, cut))}${byDefinition(leaves.slice(cut))})`;
}

describe("a Merkle tree that grows leaf by leaf", () => {
  test.each(Array.from({ length: 17 }, (_, index) => index + 1))("has the root of RFC 6962 over %p leaves", (count) => {
    expect(rootOf(count)).toBe(byDefinition(Array.from({ length: count }, (_, index) => index)));
  });
  test("has none over nothing", () => {
    expect(rootOf(0)).toBe("");
  });
});

test("ranges are read as PostgreSQL prints them", () => {
  expect(rangesOf("{[1,6),[7,8)}")).toEqual([
    [1n, 6n],
    [7n, 8n],
  ]);
  expect(rangesOf("{}")).toEqual([]);
  expect(hexOf(Uint8Array.of(0, 10, 255))).toBe("000aff");
});
