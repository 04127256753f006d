import type { Actor } from "@loyal-quill/core/condition/facts";
import { controlKind } from "@loyal-quill/core/controls/index";
import { carriedName, fileName, reasonName } from "@loyal-quill/core/page/names";
import { type SpreadsheetColumn, spreadsheetColumns } from "@loyal-quill/core/page/spreadsheet";
import { spreadsheetSegment, uploadSegment } from "@loyal-quill/core/settings/bound/path";
import { readCsv } from "@loyal-quill/core/spreadsheet/read-csv";
import { writeXlsx } from "@loyal-quill/core/spreadsheet/write-xlsx";
import { csvLines } from "@loyal-quill/core/values/csv";
import { bodyOf, type DocumentForm } from "../browser.js";
import { type Case, leaveOut, NotJudged } from "../case.js";
import { type Prepared, type RehearsedRecord, typedOf } from "../prepare.js";
import type { Stage } from "../stage.js";
import type { Sent } from "../staging.js";
import { casesOf, editing, otherValues } from "./making.js";

/*
 * A list that goes out for editing in a spreadsheet and comes back.
 */

const [prefilling, reading, writing] = [casesOf("prefill"), casesOf("read"), casesOf("write")];

/** A text in UTF-16 with its mark (Unicode, 23.8), as some spreadsheets save it. */
const utf16 = (text: string): Uint8Array =>
  Uint8Array.from(
    ["\uFEFF", ...text].flatMap((sign) =>
      Array.from({ length: sign.length }, (_, at) => sign.charCodeAt(at)).flatMap((unit) => [unit & 0xff, unit >> 8]),
    ),
  );

type Table = readonly (readonly string[])[];

/** The list's file as its person gets it: headings, then the rows that may be edited. */
async function downloaded(stage: Stage, { page }: Prepared, actor: Actor): Promise<Table> {
  const sent = await stage.get(`${page.path.list}/${spreadsheetSegment}`, actor);
  stage.answered(sent, [200]);
  // Only the beginning is read: what it ends with may be half a row.
  const whole = sent.answer.slice(0, sent.answer.lastIndexOf("\r\n") + 2);
  const table = readCsv(utf16(whole));
  const [heads, ...rows] = typeof table === "string" ? [] : table.rows;
  const marked = rows.filter((row) => row.length === heads?.length && (row.at(-1) ?? "").length > 20);
  if (!heads || marked.length === 0) throw new NotJudged("No row of the list can be edited.");
  return [heads, ...marked];
}

/** Those rows as a workbook. */
const workbookOf = ([heads = [], ...rows]: Table): Promise<Uint8Array> =>
  writeXlsx({
    name: "Rows",
    isRightToLeft: false,
    columns: heads.map((heading) => ({
      heading,
      isOpen: true,
      note: null,
      format: "@",
      width: 20,
      demand: null,
      refusal: "",
      mayBeEmpty: true,
    })),
    rows: rows.map((row) => row.map((text) => ({ text, isText: true }))),
  });

interface Uploaded {
  readonly table: Table;
  readonly key?: readonly string[] | null;
  /** The file, where it is no CSV as a program saves it. */
  readonly bytes?: Uint8Array;
}

const savedByAProgram = (table: Table): Uint8Array =>
  utf16(csvLines(table.map((row) => row.map((cell) => ({ text: cell, isText: false })))));

function upload(
  stage: Stage,
  { page }: Prepared,
  actor: Actor,
  { table, key = null, bytes = savedByAProgram(table) }: Uploaded,
): Promise<Sent> {
  const reason = bodyOf(page.reason === null ? [] : [[reasonName, "Rehearsal"]]);
  return stage.post(`${page.path.list}/${uploadSegment}`, actor, reason, {
    files: { [fileName]: bytes },
    key,
  });
}

/** The form by which a file that was looked at is saved; undefined where nothing of it would be. */
const savingForm = ({ document }: Sent): DocumentForm | undefined =>
  document.forms.find(({ pairs }) => pairs.some(([name]) => name === carriedName));

/** How many rows of a file differ from what went out. */
const changedIn = ({ recorded }: Sent): string | null =>
  recorded?.steps.find(({ step }) => step === "read")?.values.find(({ name }) => name === "changed rows")?.value ??
  null;

/** Whether a value was the stored one in another notation. */
const isSame = ({ outcome }: Sent): boolean => outcome === "unchanged";

/** A record of the file that can be edited, with its row there and a cell that would be another. */
interface Editable {
  readonly record: RehearsedRecord;
  readonly column: SpreadsheetColumn;
  readonly value: string;
  readonly row: readonly string[];
  /** The row with yet another value, where one is known. */
  readonly later: readonly string[] | null;
}

function editableIn(prepared: Prepared, [heads = [], ...rows]: Table): { readonly found: readonly Editable[] } {
  const columns = spreadsheetColumns(prepared.page).filter(
    ({ isTaken, field }) => isTaken && field.choices === null && !controlKind(field.control).isBox,
  );
  const found = prepared.editable.flatMap((record) => {
    const row = rows.find((each) => each.at(-1)?.includes(`"key":${JSON.stringify(record.key)}`));
    if (!row) return [];
    return columns.flatMap((column): Editable[] => {
      const [value, second] = otherValues(prepared, column.field, record.row);
      if (value === undefined) return [];
      const withValue = (text: string): readonly string[] =>
        row.with(heads.indexOf(column.heading), typedOf(prepared.page, column.field, text));
      const later = second === undefined ? null : withValue(second);
      return [{ record, column, value, row: withValue(value), later }];
    });
  });
  return { found };
}

export function spreadsheetCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  const begin = async (stage: Stage): Promise<{ actor: Actor; table: Table; heads: readonly string[] }> => {
    if (!page.list.spreadsheet) leaveOut("The list is not for spreadsheets.");
    const { actor } = editing(prepared);
    const table = await downloaded(stage, prepared, actor);
    return { actor, table, heads: table[0] ?? [] };
  };
  const one = (table: Table): Editable => {
    const [first] = editableIn(prepared, table).found;
    if (!first) throw new NotJudged("No cell of the file was found for which another value is known.");
    return first;
  };
  const refusesAll = (stage: Stage, sent: Sent): void => {
    stage.answered(sent, [200], "shown");
    stage.expect(savingForm(sent) === undefined, "A row of the file is offered to be saved.");
    stage.untouched(sent);
  };
  return [
    prefilling(
      "file.untouched",
      { title: "The list's file, uploaded as it was", expects: "no row is changed", by: "untouched means untouched" },
      async (stage) => {
        const { actor, table } = await begin(stage);
        const sent = await upload(stage, prepared, actor, { table });
        refusesAll(stage, sent);
        stage.expect(changedIn(sent) === "0", `Rows that count as changed: ${changedIn(sent) ?? "unknown"}.`);
      },
    ),
    prefilling(
      "file.workbook",
      {
        title: "The list's rows as a workbook, uploaded as they were",
        expects: "no row is changed",
        by: "untouched means untouched",
      },
      async (stage) => {
        const { actor, table } = await begin(stage);
        const sent = await upload(stage, prepared, actor, { table, bytes: await workbookOf(table) });
        refusesAll(stage, sent);
        stage.expect(changedIn(sent) === "0", `Rows that count as changed: ${changedIn(sent) ?? "unknown"}.`);
      },
    ),
    writing(
      "file.conflict",
      {
        title: "Two files that change the same cell, the second saved after the first",
        expects: "the second is not saved, and says so",
        by: "what somebody else has stored is overwritten by nobody unseen",
      },
      async (stage) => {
        const { actor, table, heads } = await begin(stage);
        let because = "No cell of the file was found for which two other values are known.";
        for (const { record, column, value, row, later } of editableIn(prepared, table).found.slice(0, 12)) {
          if (!later) continue;
          const looked = [];
          for (const each of [row, later])
            looked.push(await upload(stage, prepared, actor, { table: [heads, each], key: record.key }));
          const [first, second] = looked.map(savingForm);
          because = "The rules or the table refuse every value that was tried.";
          if (!first || !second) continue;
          const save = (form: DocumentForm): Promise<Sent> =>
            stage.post(`${page.path.list}/${uploadSegment}`, actor, bodyOf(form.pairs, {}), { key: record.key });
          const sent = await save(first);
          if (isSame(sent)) continue;
          stage.wrote(sent, { [column.field.column.name]: value }, actor);
          stage.untouched(await save(second));
          return;
        }
        throw new NotJudged(because);
      },
    ),
    writing(
      "file.one",
      {
        title: "The file with one cell changed",
        expects: "303; one row and one entry of the log",
        by: "page file: list.spreadsheet",
      },
      async (stage) => {
        const { actor, table, heads } = await begin(stage);
        let because = "No cell of the file was found for which another value is known.";
        for (const { record, column, value, row } of editableIn(prepared, table).found.slice(0, 6)) {
          const looked = await upload(stage, prepared, actor, { table: [heads, row], key: record.key });
          stage.answered(looked, [200], "shown");
          stage.untouched(looked);
          const form = savingForm(looked);
          if (!form) {
            because = "The rules or the table refuse every value that was tried.";
            continue;
          }
          const sent = await stage.post(`${page.path.list}/${uploadSegment}`, actor, bodyOf(form.pairs, {}), {
            key: record.key,
          });
          if (isSame(sent)) continue;
          stage.wrote(sent, { [column.field.column.name]: value }, actor);
          return;
        }
        throw new NotJudged(because);
      },
    ),
    reading(
      "file.forged",
      { title: "A row with the mark of another record", expects: "refused; nothing is written", by: "the row's mark" },
      async (stage) => {
        const { actor, table, heads } = await begin(stage);
        const { row, record } = one(table);
        const other = prepared.editable.find(({ key }) => key.join() !== record.key.join());
        if (!other) leaveOut("There is no second record that somebody may edit.");
        const keyIn = (key: readonly string[]): string => `"key":${JSON.stringify(key)}`;
        const mark = (row.at(-1) ?? "").replace(keyIn(record.key), keyIn(other.key));
        refusesAll(
          stage,
          await upload(stage, prepared, actor, { table: [heads, row.with(-1, mark)], key: record.key }),
        );
      },
    ),
    reading(
      "file.cut",
      { title: "A row whose mark is cut off", expects: "refused; nothing is written", by: "the row's mark" },
      async (stage) => {
        const { actor, table, heads } = await begin(stage);
        const { row, record } = one(table);
        refusesAll(
          stage,
          await upload(stage, prepared, actor, {
            table: [heads, row.with(-1, row.at(-1)?.slice(0, -5) ?? "")],
            key: record.key,
          }),
        );
      },
    ),
    reading(
      "file.of-another",
      {
        title: "A file that somebody else has downloaded",
        expects: "refused; nothing is written",
        by: "the row's mark",
      },
      async (stage) => {
        const { actor, table, heads } = await begin(stage);
        const { row, record } = one(table);
        const other = { ...actor, id: `${actor.id}-2` };
        refusesAll(stage, await upload(stage, prepared, other, { table: [heads, row], key: record.key }));
      },
    ),
    reading(
      "file.twice",
      {
        title: "A record that stands in the file twice",
        expects: "refused; nothing is written",
        by: "page file: list.spreadsheet",
      },
      async (stage) => {
        const { actor, table, heads } = await begin(stage);
        const { row, record } = one(table);
        refusesAll(stage, await upload(stage, prepared, actor, { table: [heads, row, row], key: record.key }));
      },
    ),
  ];
}
