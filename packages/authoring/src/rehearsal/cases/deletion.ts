import { type Actor, factsOf } from "@loyal-quill/core/condition/facts";
import { mayDelete } from "@loyal-quill/core/steps/access";
import { type Column, tableName } from "@loyal-quill/core/table/model";
import { bodyOf, type DocumentForm } from "../browser.js";
import { type Case, LeftOut, leaveOut, NotJudged } from "../case.js";
import type { Prepared, RehearsedRecord } from "../prepare.js";
import type { Stage } from "../stage.js";
import { touchedInWords } from "../staging.js";
import { casesOf, editing, otherValues } from "./making.js";
import { madeRecord } from "./records.js";

const [writing, accessing, reading] = [casesOf("write"), casesOf("access"), casesOf("read")];

/** Changes one of the columns of a record underneath to what its table takes. @throws NotJudged where none takes another value */
async function changeOne(
  stage: Stage,
  prepared: Prepared,
  { key, row }: RehearsedRecord,
  columns: readonly Column[],
): Promise<void> {
  let last: unknown;
  for (const column of columns) {
    const field = prepared.page.fields.find((each) => each.column === column);
    const values = [
      ...(field ? otherValues(prepared, field, row).slice(0, 3) : []),
      row[column.name] === "x" ? "y" : "x",
    ];
    for (const value of values)
      try {
        await stage.put(key, { [column.name]: value });
        return;
      } catch (error) {
        if (!(error instanceof NotJudged)) throw error;
        last = error;
      }
  }
  throw last;
}

/** Runs with a record that somebody may delete: those that are there, and then one that is made for it. */
async function deleting(
  stage: Stage,
  prepared: Prepared,
  run: (actor: Actor, record: RehearsedRecord) => Promise<void>,
): Promise<void> {
  const { page, insiders, now } = prepared;
  if (!page.access.delete) throw new LeftOut("The page deletes no records.");
  const may = (actor: Actor, { row }: RehearsedRecord): boolean => mayDelete(page, row, factsOf(actor, now));
  const pairs = insiders.flatMap(({ actor, editable }) =>
    editable
      .filter((record) => may(actor, record))
      .slice(0, 4)
      .map((record) => ({ actor, record })),
  );
  let last: unknown = new LeftOut("There is no record that anybody may delete.");
  for (const { actor, record } of pairs.slice(0, 8)) {
    try {
      return await run(actor, record);
    } catch (error) {
      if (!(error instanceof NotJudged)) throw error;
      last = error;
    }
  }
  const [first] = pairs;
  if (!first || !prepared.maker) throw last;
  const made = await madeRecord(
    stage,
    prepared,
    pairs.map(({ record }) => record),
  );
  if (!made || !may(first.actor, made)) throw last;
  await run(first.actor, made);
}

/** Opens the form of a deletion; one that others stand in the way of is not judged. */
async function removalForm(stage: Stage, actor: Actor, record: RehearsedRecord): Promise<DocumentForm> {
  const sent = await stage.get(stage.address(record.key, "/delete"), actor);
  const { form } = sent.document;
  if (!form) throw new NotJudged(`The record can't be deleted: ${sent.stopped ?? "others refer to it"}.`);
  return form;
}

/** Deletions, each in the step that it is about. */
export function deleteCases(prepared: Prepared): Case[] {
  const { page, stranger } = prepared;
  return [
    writing(
      "delete.done",
      {
        title: "A record is deleted",
        expects: "303; one row is gone, and one entry of the log holds all of it",
        by: "table: the row",
      },
      (stage) =>
        deleting(stage, prepared, async (actor, record) => {
          const form = await removalForm(stage, actor, record);
          const sent = await stage.post(stage.address(record.key, "/delete"), actor, bodyOf(form.pairs), {
            key: record.key,
          });
          if (sent.outcome !== "saved" && page.table.dependents.length > 0)
            throw new NotJudged(sent.stopped ?? sent.outcome);
          stage.answered(sent, [303], "saved");
          stage.expect(sent.after === null, "The record is still there.");
          const own = (sent.touched ?? []).find(({ table }) => table === tableName(page.table));
          stage.expect(
            sent.touched === null ||
              own?.deleted === 1 ||
              // Records that hang on it may be of the same table.
              ((own?.deleted ?? 0) > 1 && page.table.dependents.some(({ table }) => table === page.table.name)),
            `Touched were: ${touchedInWords(sent.touched ?? []) || "none"}.`,
          );
          if (sent.before)
            stage.logged(sent.entries.slice(0, 1), "delete", { before: sent.before, after: null }, actor);
        }),
    ),
    writing(
      "delete.twice",
      {
        title: "A deletion sent twice",
        expects: "the second time there is nothing to delete; one entry",
        by: "RFC 9110, 9.2.2",
      },
      (stage) =>
        deleting(stage, prepared, async (actor, record) => {
          const form = await removalForm(stage, actor, record);
          const body = bodyOf(form.pairs);
          const first = await stage.post(stage.address(record.key, "/delete"), actor, body, { key: record.key });
          if (first.outcome !== "saved") throw new NotJudged(first.stopped ?? first.outcome);
          const again = await stage.post(stage.address(record.key, "/delete"), actor, body, { key: record.key });
          stage.expect(again.status === 404 || again.status === 303, `It is answered ${again.status}.`);
          stage.untouched(again);
        }),
    ),
    reading(
      "delete.no-token",
      {
        title: "A deletion without the token of its form",
        expects: "refused; the record stays",
        by: "the form's token",
      },
      (stage) =>
        deleting(stage, prepared, async (actor, record) => {
          const sent = await stage.post(stage.address(record.key, "/delete"), actor, "", { key: record.key });
          stage.expect(sent.status >= 400 && sent.status < 500, `It is answered ${sent.status}.`);
          stage.untouched(sent);
        }),
    ),
    accessing(
      "delete.not-allowed",
      {
        title: "A deletion by somebody to whom the page is not open",
        expects: "403; the record stays",
        by: "page file: access",
      },
      (stage) =>
        deleting(stage, prepared, async (actor, record) => {
          if (!stranger) throw new LeftOut("The page is open to everybody who is signed in.");
          const form = await removalForm(stage, actor, record);
          const sent = await stage.post(stage.address(record.key, "/delete"), stranger, bodyOf(form.pairs), {
            key: record.key,
          });
          stage.answered(sent, [403], "refused");
          stage.untouched(sent);
        }),
    ),
    accessing(
      "delete.wrong-state",
      {
        title: "The deletion of a record whose state does not allow it",
        expects: "403; the record stays",
        by: "page file: access.delete",
      },
      async (stage) => {
        if (!page.access.delete) leaveOut("The page deletes no records.");
        const { actor } = editing(prepared);
        const record = prepared.editable.find(({ row }) => !mayDelete(page, row, factsOf(actor, prepared.now)));
        if (!record) leaveOut("Every record may be deleted.");
        const opened = await stage.get(stage.address(record.key, "/delete"), actor);
        stage.answered(opened, [403, 404]);
        const sent = await stage.post(stage.address(record.key, "/delete"), actor, "", { key: record.key });
        stage.expect(sent.status >= 400 && sent.status < 500, `It is answered ${sent.status}.`);
        stage.untouched(sent);
      },
    ),
    casesOf("compare")(
      "delete.changed-meanwhile",
      {
        title: "The record was changed between the question and its answer",
        expects: "409, asked again; the record stays",
        by: "RFC 9110, 15.5.10",
      },
      (stage) =>
        deleting(stage, prepared, async (actor, record) => {
          const form = await removalForm(stage, actor, record);
          const columns = page.table.columns.filter(
            ({ name, type, written, granted, nullable }) =>
              type.kind === "text" &&
              nullable &&
              written === "freely" &&
              granted.update &&
              !page.key.some((each) => each.name === name) &&
              !page.access.delete?.rowColumns.includes(name),
          );
          if (columns.length === 0) throw new LeftOut("The table has no text to change meanwhile.");
          await changeOne(stage, prepared, record, columns);
          const sent = await stage.post(stage.address(record.key, "/delete"), actor, bodyOf(form.pairs), {
            key: record.key,
          });
          stage.answered(sent, [409], "conflict");
          stage.untouched(sent);
        }),
    ),
  ];
}
