import { encodeSegment } from "@loyal-quill/core/settings/bound/path";
import type { Column } from "@loyal-quill/core/table/model";
import { integerRanges } from "@loyal-quill/core/values/integer-ranges";
import { type Case, leaveOut, NotJudged } from "../case.js";
import type { Prepared } from "../prepare.js";
import type { Stage } from "../stage.js";
import { doubledStatement } from "../statements.js";
import { casesOf, editing, typing } from "./making.js";

const make = casesOf("key");

/** Kinds of column that take any text. */
const takesAnyText = ({ type: { kind } }: Column): boolean => kind === "text" || kind === "enum" || kind === "other";

/** A value of the column's type that no row is likely to have. */
function absent({ type: { kind, cast, maxLength } }: Column): string | null {
  if (kind === "integer") return integerRanges[cast]?.max ?? "32767";
  if (kind === "uuid") return "00000000-0000-4000-8000-000000000000";
  if (kind === "date") return "0999-01-01";
  if (kind === "text") return "~nobody-has-this~".slice(0, maxLength ?? 40);
  if (kind === "decimal") return "0.00000001";
  return null;
}

/** An address with one part of the key replaced as it stands. */
const withPart = (prepared: Prepared, key: readonly string[], index: number, segment: string): string =>
  [
    prepared.page.path.list,
    ...key.map((part, place) => (place === index ? segment : encodeSegment(part))),
    "edit",
  ].join("/");

async function findsNothing(stage: Stage, prepared: Prepared, segment: string, statuses = [400, 404]): Promise<void> {
  const { actor, record } = editing(prepared);
  const sent = await stage.get(withPart(prepared, record.key, record.key.length - 1, segment), actor);
  stage.answered(sent, statuses);
  stage.expect(sent.document.form === null, "A form is shown all the same.");
}

/** Key: what stands in the address is judged by the key's types, before the table is asked. */
export function keyCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  const last = page.key.at(-1) as Column;
  return [
    make(
      "key.not-there",
      { title: "A key that no record has", expects: "404, without a form", by: "RFC 9110, 15.5.5" },
      async (stage) => {
        const value = absent(last);
        if (value === null) leaveOut(`No value of ${last.type.shown} is known that no record has.`);
        await findsNothing(stage, prepared, encodeSegment(value), [404]);
      },
    ),
    make(
      "key.wrong-type",
      { title: "A key that is no value of its type", expects: "400 or 404, never a failure", by: "RFC 9110, 15.5.1" },
      async (stage) => {
        if (takesAnyText(last)) leaveOut(`Any text is a ${last.type.shown}.`);
        await findsNothing(stage, prepared, "12-not-a-value");
      },
    ),
    make(
      "key.out-of-range",
      { title: "A number beyond the key's range", expects: "400 or 404, never a failure", by: "RFC 9110, 15.5.1" },
      async (stage) => {
        if (last.type.kind !== "integer") leaveOut("The key is no whole number.");
        await findsNothing(stage, prepared, "99999999999999999999");
      },
    ),
    make(
      "key.overlong",
      { title: "A key of 5,000 characters", expects: "400 or 404, never a failure", by: "RFC 9110, 15.5.1" },
      (stage) => findsNothing(stage, prepared, "7".repeat(5000)),
    ),
    make(
      "key.encoded",
      {
        title: "The key with every character percent-encoded",
        expects: "the same record's form",
        by: "RFC 3986, 6.2.2.2",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const encoded = (text: string): string =>
          [...text].map((sign) => `%${sign.charCodeAt(0).toString(16).toUpperCase()}`).join("");
        const plain = record.key.find((part) => /^[\w.-]+$/.test(part) && !/^(\.{0,2}|new)$/.test(part));
        if (plain === undefined) leaveOut("The key has signs that stand for something else in an address.");
        const index = record.key.indexOf(plain);
        const sent = await stage.get(withPart(prepared, record.key, index, encoded(plain)), actor);
        stage.answered(sent, [200], "shown");
        stage.expect(sent.document.form !== null, "No form is shown.");
      },
    ),
    make(
      "key.broken-encoding",
      { title: "Percent-encoding that is broken, or no UTF-8", expects: "400 or 404", by: "RFC 3986, 2.1" },
      async (stage) => {
        await findsNothing(stage, prepared, "%zz");
        await findsNothing(stage, prepared, "%ff%fe");
      },
    ),
    make(
      "key.nul",
      { title: "A NUL character in the key", expects: "400 or 404, never a failure", by: "PostgreSQL, 8.3" },
      (stage) => findsNothing(stage, prepared, "%00"),
    ),
    make(
      "key.sql",
      { title: "SQL in the place of the key", expects: "400 or 404; it stays a text", by: "CWE-89" },
      async (stage) => {
        for (const text of ["' OR '1'='1", "1; DELETE FROM pg_class", "0 OR true"])
          await findsNothing(stage, prepared, encodeSegment(text));
      },
    ),
    make(
      "key.white-space",
      { title: "The key with a space behind it", expects: "another key: 400 or 404", by: "RFC 3986, 3.3" },
      async (stage) => {
        if (last.type.kind !== "text") leaveOut("The key is no text.");
        const { record } = editing(prepared);
        if (record.key.at(-1)?.endsWith(" ")) leaveOut("The key itself ends with a space.");
        if (/^character\(|^bpchar/.test(last.type.shown)) leaveOut("Spaces at the end of a char(n) say nothing.");
        await findsNothing(stage, prepared, `${encodeSegment(record.key.at(-1) ?? "")}%20`);
      },
    ),
    make(
      "key.forged",
      {
        title: "A form of one record sent to the address of another",
        expects: "refused; neither record is changed",
        by: "the form's token",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const target = prepared.editable.find(({ key }) => key.join("/") !== record.key.join("/"));
        if (!target) leaveOut("There is no second record that the person may edit.");
        const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
        const sent = await stage.post(stage.address(target.key, "/edit"), actor, typing(page, form, {}), {
          key: target.key,
        });
        stage.answered(sent, [400, 403]);
        stage.untouched(sent);
      },
    ),
    make(
      "key.names-one",
      {
        title: "No two rows have the same key, and none is without one",
        expects: "none: a save can touch one row at most",
        by: "table: the page's key",
      },
      async (stage) => {
        const [row] = await stage.run(doubledStatement(page));
        if (!row) throw new NotJudged("The table did not answer.");
        stage.expect(row.count === "0", `${row.count} keys are those of several rows, or of none.`);
      },
    ),
  ];
}
