import * as v from "valibot";
import { quoted } from "../postgres/statement.js";
import type { RuleKind } from "./rule.js";

/** The size that a sent file's text begins with (see `steps/read.ts`), in bytes. */
const sizeOf = (text: string): number => Number(/^\d+/.exec(text)?.[0] ?? 0);

/** At most so many bytes of a file. */
export const maxSize: RuleKind<number, number> = {
  name: "max-size",
  label: "Maximum size",
  inFile: {
    schema: v.pipe(v.number(), v.integer(), v.minValue(1)),
    byName: false,
    first: 1_000_000,
    parts: [{ name: null, label: "Bytes", as: "count" }],
    fits: ["text", "other"],
    takes: "a whole number of bytes",
    means: "For a file: at most so many bytes.",
  },
  demandOf: (setting) => setting,
  // Of `bytea` its length is counted in bytes.
  ofTable: ({ demands }, { name, type }, control) =>
    control === "file"
      ? demands.flatMap(({ column, by, values: [most] }) =>
          column === name && (by === "bytes <=" || (by === "characters <=" && type.cast === "bytea"))
            ? [Number(most)]
            : [],
        )
      : [],
  implied: (bytes, others) => others.some((other) => other < bytes),
  words: (bytes) => `at most ${bytes} bytes`,
  broken: (bytes, { text }) => (sizeOf(text) > bytes ? ["max-size", { limit: Math.floor(bytes / 1000) }] : null),
  counted: (bytes, column) => ({
    by: "predicate",
    refused: (parameters) => `octet_length(t.${quoted(column.name)}) > ${parameters.add(String(bytes), "integer")}`,
  }),
  enforcement: (bytes, column) => ({
    by: "check",
    name: "most_bytes",
    check: `octet_length(${quoted(column.name)}) <= ${bytes}`,
  }),
};
