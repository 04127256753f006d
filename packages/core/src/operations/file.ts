import { fileField } from "../page/files.js";
import { filePartStatement } from "../statements/file.js";
import { load } from "../steps/load.js";
import { notFound, type Outcome } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { sizeIn } from "../values/stamp.js";
import { missing } from "./missing.js";

/** A file is read in parts of so many bytes, or characters. */
const partLength = 262_144;

/** A hexadecimal digit, in small letters, by its code. */
const digitAt = (hex: string, index: number): number => {
  const code = hex.charCodeAt(index);
  return code < 58 ? code - 48 : code - 87;
};

const bytesOf = (hex: string): Uint8Array => {
  const bytes = new Uint8Array(hex.length / 2);
  for (let index = 0; index < bytes.length; index++)
    bytes[index] = 16 * digitAt(hex, index * 2) + digitAt(hex, index * 2 + 1);
  return bytes;
};

/** The content of a record's file, part by part, for who may see the record. */
export async function file(trip: Trip): Promise<Outcome> {
  const { page, key, request, recorder, dependencies } = trip;
  const field = fileField(page, request.query.column);
  if (!field) {
    recorder.note("load", [], "there is no file of this name");
    return notFound("no-such-address", page);
  }
  const record = await load(trip);
  if (!record) return missing(trip);
  const stamp = record.row[field.column.name] ?? null;
  if (stamp === null || sizeIn(stamp) === null) {
    recorder.note("load", [], "there is no file in this record");
    return notFound("no-such-address", page);
  }
  recorder.note("load", [{ name: field.column.name, value: stamp }]);
  recorder.note("prefill", []);
  const { column } = field;
  const isText = column.type.kind === "text";
  async function* parts(): AsyncGenerator<string | Uint8Array> {
    for (let from = 1; ; from += partLength) {
      const statement = filePartStatement(trip, column, from, partLength);
      const [row] = await dependencies.database.run(statement);
      const part = row?.part ?? "";
      if (part !== "") yield isText ? part : bytesOf(part);
      if (part.length < (isText ? partLength : partLength * 2)) return;
    }
  }
  const name = [page.name, ...key, field.column.name].join("-");
  const type = isText ? "text/plain; charset=utf-8" : "application/octet-stream";
  return { kind: "shown", view: { what: "file", file: { name, type, parts: parts() } } };
}
