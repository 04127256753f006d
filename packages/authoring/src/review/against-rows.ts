import { controlKind } from "@loyal-quill/core/controls/index";
import type { Finding } from "@loyal-quill/core/findings/finding";
import { fieldsIn } from "@loyal-quill/core/page/fields-in";
import type { Page } from "@loyal-quill/core/page/page";
import type { ParsedPage } from "@loyal-quill/core/page/parse";
import { refusalKind } from "@loyal-quill/core/postgres/refusal";
import { type Database, DatabaseRefusal, type Statement } from "@loyal-quill/core/postgres/statement";
import { mostUnshown, unshownStatement } from "./unshown.js";

/** How many there are, or why PostgreSQL does not tell. */
async function count(database: Database, statement: Statement): Promise<number | DatabaseRefusal> {
  try {
    const [row] = await database.run(statement);
    return Number(row?.count ?? 0);
  } catch (error) {
    if (error instanceof DatabaseRefusal) return error;
    throw error;
  }
}

/** Holds a page against the stored rows: values that a field's control can't show whole, and that a plainer one is shown for. */
export async function reviewAgainstRows(
  page: Page,
  parsed: ParsedPage,
  database: Database,
): Promise<readonly Finding[]> {
  const findings: Finding[] = [];
  for (const { name, path } of fieldsIn(parsed.file)) {
    const field = page.fields.find((each) => each.column.name === name);
    // What can't be changed is shown as text, whatever its control would be.
    const statement = field && !field.readOnly && unshownStatement(page, field);
    if (!field || !statement) continue;
    const found = await count(database, statement);
    if (found === 0) continue;
    const values =
      found === 1
        ? "1 stored value"
        : typeof found === "number" && found > mostUnshown
          ? `More than ${mostUnshown} stored values`
          : `${found} stored values`;
    const plainer = controlKind(field.control).plainer ?? "multi-line";
    findings.push(
      typeof found !== "number"
        ? parsed.finding("warning", {
            code: "not-counted",
            message:
              refusalKind(found) === "took too long"
                ? `It took too long to find out whether a control "${field.control}" can show all stored values of ${name}.`
                : `PostgreSQL does not tell whether a control "${field.control}" can show all stored values of ${name}: ${found.message}.`,
            path,
          })
        : parsed.finding("warning", {
            code: "control-can-not-show",
            message: `${values} of ${name} can't be shown in a control "${field.control}": a control "${plainer}" takes its place for those.`,
            path,
            repair: {
              what: `show ${name} in a control "${plainer}"`,
              edits: [{ do: "set", path: ["fields", name, "control"], value: plainer }],
            },
          }),
    );
  }
  return findings;
}
