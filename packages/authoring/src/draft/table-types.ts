import { isJsonNumber } from "@loyal-quill/core/json/value";
import type { Column, Table } from "@loyal-quill/core/table/model";
import { tableName } from "@loyal-quill/core/table/model";

/** A name in capitals at each word's beginning: `gauge_station` is `GaugeStation`. */
const inCapitals = (name: string): string => {
  const words = name.split(/[^\p{L}\p{N}]+/u).filter((word) => word !== "");
  const joined = words.map((word) => `${word.charAt(0).toUpperCase()}${word.slice(1)}`).join("");
  return /^[\p{L}_$]/u.test(joined) ? joined : `_${joined}`;
};

/** The type of a column's values as the steps of a page have them: those of JSON, as `json/value.ts` writes them. */
function typeOf(column: Column, { demands }: Table): string {
  const { kind, cast, labels } = column.type;
  const listed = demands.find((demand) => demand.by === "in" && demand.column === column.name);
  if (cast === "bytea") return "unknown";
  if (kind === "boolean") return "boolean";
  if (kind === "json") return "unknown";
  if (kind === "enum") return labels.map((label) => JSON.stringify(label)).join(" | ") || "string";
  // A CHECK with a list of values says what an enum would.
  const isNumber = isJsonNumber(column);
  if (listed) return listed.values.map((value) => (isNumber ? value : JSON.stringify(value))).join(" | ");
  return isNumber ? "number" : "string";
}

const told: Partial<Record<string, string>> = {
  decimal: "to the digit",
  date: "as 2026-03-31",
  timestamptz: "as 2026-03-31T12:00:00Z",
  timestamp: "as 2026-03-31T12:00:00",
};

/** A comment ends at its first `*​/`, which a type of somebody's own may be called. */
const inComment = (text: string): string => text.replaceAll("*/", "*\u200b/");

function memberOf(column: Column, table: Table): string {
  const type = typeOf(column, table);
  const how = told[column.type.kind];
  const comment =
    type === "number" || type === "boolean" ? "" : `  /** ${inComment(column.type.shown)}${how ? `, ${how}` : ""} */\n`;
  const name = /^[A-Za-z_$][\w$]*$/.test(column.name) ? column.name : JSON.stringify(column.name);
  return `${comment}  ${name}: ${type}${column.nullable && type !== "unknown" ? " | null" : ""};`;
}

/**
 * The types of tables' rows in TypeScript, as the steps of a page have them: an interface for each, called like its table; with the schema's name
 * before it where two would have one name.
 */
export function tableTypes(tables: readonly Table[]): string {
  const names = tables.map(({ name }) => inCapitals(name));
  const interfaces = tables.map((table, index) => {
    const isAlone = names.filter((each) => each === names[index]).length === 1;
    const name = isAlone ? names[index] : `${inCapitals(table.schema)}${names[index]}`;
    return `/** ${inComment(tableName(table))} */\nexport interface ${name} {\n${table.columns.map((column) => memberOf(column, table)).join("\n")}\n}\n`;
  });
  return `// Made of the database's tables by \`quill types\`. Make it anew when they change.\n\n${interfaces.join("\n")}`;
}
