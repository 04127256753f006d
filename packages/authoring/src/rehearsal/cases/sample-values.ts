import type { Column } from "@loyal-quill/core/table/model";

/** Values that a type takes, in PostgreSQL's text form (documentation, 8), by the beginning of the type's name. */
const byType: readonly (readonly [type: RegExp, values: readonly string[]])[] = [
  // Quoted as PostgreSQL quotes what has to be, and as the control does with all.
  [/^(text|character|name|citext).*\[\]/, ['{"It is rehearsed"}', '{"R 1","R 2"}']],
  [/^(smallint|integer|bigint|numeric|real|double precision).*\[\]/, ["{1}", "{2,7}"]],
  [/\[\]/, ["{}"]],
  [/^(smallint|integer|bigint)/, ["1", "2", "7"]],
  [/^(numeric|real|double precision)/, ["1", "2", "0"]],
  [/^boolean/, ["true", "false"]],
  // The last one lies behind whatever else there is.
  [/^date$/, ["2026-03-02", "2026-03-03", "2097-11-30"]],
  [/^timestamp.* with time zone/, ["2026-03-02 10:00:00+00", "2026-03-03 11:30:00+00"]],
  [/^timestamp/, ["2026-03-02 10:00:00", "2026-03-03 11:30:00"]],
  [/^time.* with time zone/, ["10:00:00+00", "11:30:00+00"]],
  [/^time/, ["10:00:00", "11:30:00"]],
  [/^interval/, ["01:00:00", "02:30:00"]],
  [/^uuid/, ["6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c11", "6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c12"]],
  [/^jsonb?/, ['{"a": 1}', "[1, 2]"]],
  [/^(text|character|name|citext)/, ["Rehearsed", "R1"]],
  [/^inet/, ["10.0.0.1/32", "10.0.0.2/32"]],
  [/^cidr/, ["10.1.0.0/16", "10.2.0.0/16"]],
  [/^macaddr8/, ["08:00:2b:01:02:03:04:05", "08:00:2b:01:02:03:04:06"]],
  [/^macaddr/, ["08:00:2b:01:02:03", "08:00:2b:01:02:04"]],
  [/^(int4|int8|num)range/, ["[1,4)", "[10,12)"]],
  [/^daterange/, ["[2026-03-02,2026-03-05)", "[2026-04-02,2026-04-05)"]],
  [/^tsrange/, ['["2026-03-02 10:00:00","2026-03-02 11:00:00")', "empty"]],
  [/^tstzrange/, ['["2026-03-02 10:00:00+00","2026-03-02 11:00:00+00")', "empty"]],
  [/^(int4|int8|num)multirange/, ["{[1,4)}", "{}"]],
  [/^bytea/, ["\\x0102", "\\x03"]],
  [/^point/, ["(1,2)", "(3,4)"]],
  [/^box/, ["(1,1),(0,0)", "(2,2),(1,1)"]],
  [/^lseg/, ["[(0,0),(1,1)]", "[(0,0),(2,2)]"]],
  [/^(path|polygon)/, ["((0,0),(1,1),(1,0))", "((0,0),(2,2),(2,0))"]],
  [/^circle/, ["<(0,0),1>", "<(0,0),2>"]],
  [/^tsvector/, ["'one':1", "'two':1"]],
  [/^tsquery/, ["'one'", "'two'"]],
  [/^xml/, ["<a/>", "<b/>"]],
  [/^oid/, ["1", "2"]],
];

/** Bits as many as the type wants. */
function bits(shown: string): readonly string[] {
  const [, varying, length] = /^bit( varying)?(?:\((\d+)\))?$/.exec(shown) ?? [];
  if (varying === undefined && length === undefined && shown !== "bit") return [];
  const number = varying === undefined ? Number(length ?? 1) : Math.min(Number(length ?? 2), 2);
  return ["1".repeat(number), "0".repeat(number)];
}

/** Values that a column's type takes, whatever is stored; none where nothing is known of the type. */
export function sampleValues({ type: { shown, kind, labels, maxLength, scale, cast } }: Column): readonly string[] {
  if (kind === "enum") return labels;
  // A domain is told by its own name: what it takes is known by its kind only.
  const name = shown === cast.replaceAll('"', "") || kind === "other" ? shown : cast.replaceAll('"', "");
  const known = byType.find(([type]) => type.test(name))?.[1] ?? bits(shown);
  const fallback: readonly string[] = known.length > 0 ? known : kind === "text" ? ["Rehearsed", "R1"] : [];
  if (kind === "text") return fallback.map((value) => value.slice(0, maxLength ?? value.length));
  if (kind === "decimal" && scale !== null && scale > 0)
    return fallback.map((value) => `${value}.${"0".repeat(scale)}`);
  return fallback;
}
