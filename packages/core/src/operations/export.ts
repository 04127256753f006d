import type { Page } from "../page/page.js";
import { isRefusedAs } from "../postgres/refusal.js";
import type { Database, Row, Statement } from "../postgres/statement.js";
import { queryText } from "../settings/bound/path.js";
import { openListStatement, readListStatement } from "../statements/list.js";
import { type Outcome, refused } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { type CsvField, csvLines } from "../values/csv.js";
import { toldPlainly } from "../views/told.js";
import { questionOf } from "./list.js";
import { withCommonWords } from "./list-part.js";

/** So many rows are read at a time. */
const rowsAtATime = 500;

/** A cursor inside a transaction that stays open as long as it is read. */
interface Cursor {
  next(): Promise<readonly Row[]>;
  close(): void;
}

/** Opens a cursor. @throws as the database does, where it can't be opened */
function openCursor(database: Database, statement: Statement): Promise<Cursor> {
  return new Promise((resolve, reject) => {
    database
      .transaction(async (inside) => {
        await inside.run(statement);
        await new Promise<void>((close) => {
          resolve({ next: () => inside.run(readListStatement(rowsAtATime)), close });
        });
      }, "reading")
      .catch(reject);
  });
}

/** Texts that a spreadsheet could take for a formula stand behind an apostrophe; numbers and dates are none. */
const isText: ReadonlySet<string> = new Set(["text", "enum", "json", "other"]);

const fieldsOf = (page: Page, row: Row): readonly CsvField[] =>
  page.list.columns.map(({ column, choices }) => {
    const stored = row[column.name] ?? null;
    return {
      text: (choices ? stored : toldPlainly(page, column, stored)) ?? "",
      isText: choices !== null || isText.has(column.type.kind),
    };
  });

/** A column's heading; moments name the zone that they are told in, which their values do not. */
const headingOf = ({ timeZone }: Page, { label, column }: Page["list"]["columns"][number]): string =>
  column.type.kind === "timestamptz" ? `${label} (${timeZone})` : label;

async function* linesOf(page: Page, cursor: Cursor, first: readonly Row[]): AsyncGenerator<string> {
  try {
    yield csvLines([page.list.columns.map((each) => ({ text: headingOf(page, each), isText: true }))]);
    for (let rows = first; rows.length > 0; rows = rows.length < rowsAtATime ? [] : await cursor.next())
      yield csvLines(rows.map((row) => fieldsOf(page, row)));
  } finally {
    cursor.close();
  }
}

/** The lines as parts of a file; one that is ended before it was begun gives its cursor back as well, which a generator would not do. */
function partsOf(page: Page, cursor: Cursor, first: readonly Row[]): AsyncIterable<string> {
  const lines = linesOf(page, cursor, first);
  const end = (): Promise<IteratorResult<string>> => {
    cursor.close();
    return lines.return(undefined);
  };
  return { [Symbol.asyncIterator]: () => ({ next: () => lines.next(), return: end }) };
}

/** What the list shows of all records that are searched and filtered, as CSV (RFC 4180), in the list's order, as of one moment. */
export async function exportList(trip: Trip): Promise<Outcome> {
  const { page, facts, request, recorder, dependencies } = trip;
  const { question, filters, strays } = questionOf(page, request);
  // The list tells what is wrong.
  const toList: Outcome = {
    kind: "shown",
    view: { what: "elsewhere", to: `${page.path.list}${queryText(request.query)}` },
  };
  if (filters.problems.length + strays.length > 0) return toList;
  const turn = dependencies.exportTurn?.(facts.actor.id) ?? "free";
  if (turn !== "free") {
    recorder.note("load", [], turn === "export-of-yours" ? "they download already" : "too many download already");
    return refused(turn, page);
  }
  let cursor: Cursor | null = null;
  try {
    cursor = await openCursor(
      dependencies.database,
      openListStatement(page, facts, await withCommonWords(trip, question)),
    );
    const first = await cursor.next();
    recorder.note("load", [{ name: "rows at first", value: String(first.length) }]);
    recorder.note("prefill", []);
    const name = `${page.path.listSegments.at(-1) ?? page.name}.csv`;
    const parts = partsOf(page, cursor, first);
    return { kind: "shown", view: { what: "file", file: { name, type: csvType, parts } } };
  } catch (error) {
    cursor?.close();
    if (question.filters.length > 0 && isRefusedAs(error, "bad value", "bad statement")) return toList;
    if (!isRefusedAs(error, "took too long")) throw error;
    recorder.note("load", [], "the search took too long");
    return refused("too-slow", page);
  }
}

const csvType = "text/csv; charset=utf-8; header=present";
