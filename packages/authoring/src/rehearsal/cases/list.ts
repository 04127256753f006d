import type { Field } from "@loyal-quill/core/page/page";
import { rowPage, saveRowName, saveTogetherName } from "@loyal-quill/core/page/rows";
import { csvSegment, recordAddress } from "@loyal-quill/core/settings/bound/path";
import { tableName } from "@loyal-quill/core/table/model";
import { bodyOf, type DocumentForm } from "../browser.js";
import { type Case, leaveOut, NotJudged } from "../case.js";
import { type Prepared, type RehearsedRecord, typedOf } from "../prepare.js";
import type { Stage } from "../stage.js";
import { type Sent, touchedInWords } from "../staging.js";
import { casesOf, editing, otherValues } from "./making.js";

const [loading, reading, writing, prefilling, checking] = [
  casesOf("load"),
  casesOf("read"),
  casesOf("write"),
  casesOf("prefill"),
  casesOf("check"),
];

const pathOf = (link: string): string => link.split(/[?#]/)[0] ?? "";

/** Puts a text into a column underneath. @throws LeftOut where the table takes no such text: then no list has to show it */
async function putOrLeaveOut(stage: Stage, key: readonly string[], name: string, text: string): Promise<void> {
  try {
    await stage.put(key, { [name]: text });
  } catch (error) {
    if (error instanceof NotJudged) leaveOut(`The listed text can't hold it: ${error.message}`);
    throw error;
  }
}

function listCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  return [
    loading(
      "list.shown",
      { title: "The list", expects: "200; each of its records leads to one", by: "page file: list" },
      async (stage) => {
        const { actor } = editing(prepared);
        const sent = await stage.get(page.path.list, actor);
        stage.answered(sent, [200], "shown");
        const paths = sent.document.links.map(pathOf);
        const seen = prepared.rows.filter(({ key }) =>
          paths.some((path) => path.startsWith(recordAddress(page.path, key))),
        );
        stage.expect(
          seen.length > 0,
          "None of the table's first and last records is in the list, though the person may edit some.",
        );
        const first = seen[0];
        if (first) stage.answered(await stage.get(stage.address(first.key), actor), [200]);
      },
    ),
    loading(
      "list.search",
      { title: "A search for a value that a record has", expects: "the record is found", by: "page file: list.search" },
      async (stage) => {
        const { actor } = editing(prepared);
        const columns = (page.list.search ?? page.list.columns.map(({ column }) => column)).filter(
          ({ type, sensitive }) => type.kind === "text" && !sensitive,
        );
        const found = prepared.editable.flatMap((record) =>
          columns.flatMap(({ name }) => {
            const value = record.row[name] ?? "";
            return /^[\p{L}\p{N} -]{3,40}$/u.test(value) && value.trim() === value ? [{ record, value }] : [];
          }),
        )[0];
        if (!found) leaveOut("No listed text was found to search for.");
        const sent = await stage.get(page.path.list, actor, { query: { q: found.value } });
        stage.answered(sent, [200], "shown");
        const address = recordAddress(page.path, found.record.key);
        const links = sent.document.links.map(pathOf);
        const records = links.filter((link) => link.startsWith(`${page.path.list}/`)).length;
        stage.expect(
          links.some((link) => link === address || link === `${address}/edit`) || records > 40,
          `A search for ${found.value} does not find ${address}.`,
        );
      },
    ),
    reading(
      "list.search-signs",
      {
        title: "Signs that mean something to SQL and to patterns, searched for",
        expects: "200; they are texts",
        by: "CWE-89",
      },
      async (stage) => {
        const { actor } = editing(prepared);
        for (const q of ["%", "_", "\\", "' OR 1=1 --", '"', "\u0000", "(", "\u{1F30A}"]) {
          const sent = await stage.get(page.path.list, actor, { query: { q } });
          stage.expect(
            sent.status < 500,
            `${JSON.stringify(q)} is answered ${sent.status} (${sent.stopped ?? sent.outcome}).`,
          );
        }
      },
    ),
    reading(
      "list.forged-query",
      {
        title: "An order, a place and filters that the list never gave out",
        expects: "no failure",
        by: "RFC 9110, 15.5",
      },
      async (stage) => {
        const { actor } = editing(prepared);
        const filters = Object.fromEntries(page.list.filters.map(({ column }) => [column.name, "\u{1F30A}'"]));
        for (const query of [
          { sort: "no_such_column" },
          { sort: "-" },
          { after: "forged" },
          { before: '["1","2","3"]' },
          { last: "?" },
          { page: "-1" },
          filters,
        ]) {
          const sent = await stage.get(page.path.list, actor, { query });
          stage.expect(
            sent.status < 500,
            `${JSON.stringify(query)} is answered ${sent.status} (${sent.stopped ?? sent.outcome}).`,
          );
        }
      },
    ),
    loading(
      "list.sorted",
      { title: "The list in the order of each heading that offers one", expects: "200", by: "page file: list" },
      async (stage) => {
        const { actor } = editing(prepared);
        const sortable = page.list.columns.filter((column) => column.sortable);
        if (sortable.length === 0) leaveOut("No heading offers an order.");
        for (const { column } of sortable)
          for (const sort of [column.name, `-${column.name}`])
            stage.answered(await stage.get(page.path.list, actor, { query: { sort } }), [200], "shown");
      },
    ),
    loading(
      "list.markup",
      { title: "Markup in a listed text", expects: "shown as text, in the list and in the file", by: "CWE-79" },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const text = page.list.columns.find(
          ({ column: { type, granted, written, name } }) =>
            type.kind === "text" &&
            granted.update &&
            written === "freely" &&
            !page.key.some((each) => each.name === name) &&
            !page.table.references.some(({ columns }) => columns.includes(name)),
        );
        if (!text) leaveOut("The list shows no text that could hold it.");
        const markup = "<quill-mark onclick=x>".slice(0, text.column.type.maxLength ?? 40);
        await putOrLeaveOut(stage, record.key, text.column.name, markup);
        const sent = await stage.get(page.path.list, actor, { query: { q: record.key.at(-1) ?? "" } });
        stage.expect(
          sent.document.count("quill-mark") === 0,
          "Markup from a stored value became an element of the list.",
        );
        const file = await stage.get(`${page.path.list}/${csvSegment}`, actor);
        stage.answered(file, [200]);
        stage.expect(
          /^text\/csv/.test(file.headers["content-type"] ?? ""),
          `The file is ${file.headers["content-type"] ?? "of no type"}.`,
        );
      },
    ),
    loading(
      "list.formula",
      { title: "A text that begins like a formula, in the file", expects: "can't be taken for one", by: "CWE-1236" },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const text = page.list.columns.find(
          ({ column: { type, granted, written, name } }) =>
            type.kind === "text" &&
            (type.maxLength ?? 40) >= 12 &&
            granted.update &&
            written === "freely" &&
            !page.key.some((each) => each.name === name) &&
            !page.table.references.some(({ columns }) => columns.includes(name)),
        );
        if (!text) leaveOut("The list shows no text that could hold it.");
        await putOrLeaveOut(stage, record.key, text.column.name, "=1+1*cmd");
        const isSearched = page.list.search === null || page.list.search.includes(text.column);
        const file = await stage.get(`${page.path.list}/${csvSegment}`, actor, {
          query: { q: isSearched ? "=1+1*cmd" : (record.key.at(-1) ?? "") },
        });
        stage.answered(file, [200]);
        if (!file.answer.includes("1+1*cmd"))
          throw new NotJudged("The record is not in the part of the file that was read.");
        stage.expect(!/(^|[,\r\n])"?=1\+1/.test(file.answer), "A cell begins with the formula.");
      },
    ),
  ];
}

/** The form of a list's rows, and the place of a record in it. */
async function rowsForm(
  stage: Stage,
  prepared: Prepared,
): Promise<{ form: DocumentForm; place: (key: readonly string[]) => string | null }> {
  const { page } = prepared;
  const { actor } = editing(prepared);
  const sent = await stage.get(page.path.list, actor);
  const { form } = sent.document;
  if (!form) throw new NotJudged("The list has no form of its rows.");
  const tokens = form.pairs.filter(([name]) => name.endsWith("quill.token"));
  return {
    form,
    place: (key) =>
      tokens.find(([, token]) => token.includes(`"key":${JSON.stringify(key)}`))?.[0].slice(0, -"quill.token".length) ??
      null,
  };
}

/** Records of the list that can be edited there, with a field and another value for it. */
function inList(
  prepared: Prepared,
  place: (key: readonly string[]) => string | null,
): { record: RehearsedRecord; prefix: string; field: Field; value: string }[] {
  const fields = rowPage(prepared.page).fields.filter(({ readOnly, control }) => !readOnly && control !== "check-box");
  return prepared.editable.flatMap((record) => {
    const prefix = place(record.key);
    const found =
      prefix === null
        ? undefined
        : fields
            .map((field) => ({ field, value: otherValues(prepared, field, record.row)[0] }))
            .find(({ value }) => value !== undefined);
    return prefix !== null && found?.value !== undefined
      ? [{ record, prefix, field: found.field, value: found.value }]
      : [];
  });
}

function rowCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  const needsRows = (): void => {
    if (page.list.edit.length === 0) leaveOut("Rows of the list can't be edited.");
  };
  const send = (stage: Stage, body: string, key: readonly string[]): Promise<Sent> =>
    stage.post(page.path.list, editing(prepared).actor, body, { key });
  const numberOf = (prefix: string): string => /\d+/.exec(prefix)?.[0] ?? "";
  return [
    prefilling(
      "rows.untouched",
      { title: "All rows of the list, sent untouched", expects: "nothing is written", by: "untouched means untouched" },
      async (stage) => {
        needsRows();
        const { form, place } = await rowsForm(stage, prepared);
        const [first] = inList(prepared, place);
        if (!first) throw new NotJudged("None of the rows can be edited.");
        const pressed = page.list.together ? { [saveTogetherName]: "" } : { [saveRowName]: numberOf(first.prefix) };
        const sent = await send(stage, bodyOf(form.pairs, pressed), first.record.key);
        stage.expect(sent.status < 400, `It is answered ${sent.status} (${sent.stopped ?? sent.outcome}).`);
        stage.untouched(sent);
      },
    ),
    writing(
      "rows.one",
      {
        title: "One row of the list is changed",
        expects: "303; one row and one entry of the log",
        by: "page file: list.edit",
      },
      async (stage) => {
        needsRows();
        const { form, place } = await rowsForm(stage, prepared);
        let because = "None of the rows can be edited.";
        for (const { record, prefix, field, value } of inList(prepared, place).slice(0, 4)) {
          const edits = {
            [`${prefix}${field.formName}`]: typedOf(page, field, value),
            ...(page.list.together ? { [saveTogetherName]: "" } : { [saveRowName]: numberOf(prefix) }),
          };
          const sent = await send(stage, bodyOf(form.pairs, edits), record.key);
          if (sent.outcome === "invalid") {
            because = sent.stopped ?? sent.outcome;
            continue;
          }
          stage.wrote(sent, { [field.column.name]: value }, editing(prepared).actor);
          return;
        }
        throw new NotJudged(because);
      },
    ),
    checking(
      "rows.one-is-wrong",
      {
        title: "Two rows are changed together, one of them wrongly",
        expects: "neither is written",
        by: "page file: list.together",
      },
      async (stage) => {
        needsRows();
        if (!page.list.together) leaveOut("Each row is saved by itself.");
        const { form, place } = await rowsForm(stage, prepared);
        const [one, two] = inList(prepared, place);
        const wrong = rowPage(page).fields.find(
          ({ readOnly, column, choices }) =>
            !readOnly && choices === null && /integer|decimal|date|timestamptz/.test(column.type.kind),
        );
        if (!one || !two || !wrong) throw new NotJudged("No two rows were found, of which one could be made wrong.");
        const sent = await send(
          stage,
          bodyOf(form.pairs, {
            [`${one.prefix}${one.field.formName}`]: typedOf(page, one.field, one.value),
            [`${two.prefix}${wrong.formName}`]: "no such value",
            [saveTogetherName]: "",
          }),
          one.record.key,
        );
        stage.answered(sent, [422], "invalid");
        stage.untouched(sent);
      },
    ),
    reading(
      "rows.forged",
      {
        title: "A row with another row's token signature",
        expects: "refused; nothing is written",
        by: "the form's token",
      },
      async (stage) => {
        needsRows();
        const { form, place } = await rowsForm(stage, prepared);
        const [one] = inList(prepared, place);
        if (!one) throw new NotJudged("None of the rows can be edited.");
        const name = `${one.prefix}quill.token`;
        const token = form.pairs.find(([each]) => each === name)?.[1] ?? "";
        const edits = {
          [name]: token.replace('"key":["', '"key":["9'),
          [`${one.prefix}${one.field.formName}`]: typedOf(page, one.field, one.value),
          [saveRowName]: numberOf(one.prefix),
        };
        const sent = await send(stage, bodyOf(form.pairs, edits), one.record.key);
        stage.expect(sent.status >= 400 && sent.status < 500, `It is answered ${sent.status}.`);
        stage.untouched(sent);
      },
    ),
    writing(
      "rows.together",
      {
        title: "Two rows are changed together",
        expects: "303; two rows, and an entry of the log for each",
        by: "page file: list.together",
      },
      async (stage) => {
        needsRows();
        if (!page.list.together) leaveOut("Each row is saved by itself.");
        const { form, place } = await rowsForm(stage, prepared);
        const found = inList(prepared, place);
        const [one, two] = found;
        if (!one || !two) throw new NotJudged("No two rows of the list can be edited.");
        const edits = Object.fromEntries(
          [one, two].map(({ prefix, field, value }) => [`${prefix}${field.formName}`, typedOf(page, field, value)]),
        );
        const sent = await send(stage, bodyOf(form.pairs, { ...edits, [saveTogetherName]: "" }), one.record.key);
        if (sent.outcome === "invalid") throw new NotJudged(sent.stopped ?? sent.outcome);
        stage.answered(sent, [303], "saved");
        const own = sent.touched?.find(({ table }) => table === tableName(page.table));
        stage.expect(
          sent.touched === null || own?.updated === 2,
          `Touched were: ${touchedInWords(sent.touched ?? []) || "none"}.`,
        );
        stage.expect(sent.entries.length === 2, `The log has ${sent.entries.length} entries, not two.`);
      },
    ),
  ];
}

/** The list, and the rows that are edited in it. */
export const listingCases = (prepared: Prepared): Case[] => [...listCases(prepared), ...rowCases(prepared)];
