import { encodeSegment } from "@loyal-quill/core/settings/bound/path";
import { encoded } from "../browser.js";
import { type Case, leaveOut, NotJudged } from "../case.js";
import type { Prepared } from "../prepare.js";
import { casesOf, editing } from "./making.js";

const make = casesOf("route");

/** Route: which addresses and methods lead to the page, and that nothing else does. */
export function routeCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  return [
    make(
      "route.wrong-method",
      {
        title: "PUT to the address of the form",
        expects: "405 with Allow; nothing is written",
        by: "RFC 9110, 15.5.6",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const sent = await stage.send("PUT", stage.address(record.key, "/edit"), actor, { body: "", key: record.key });
        stage.answered(sent, [405]);
        stage.expect(
          /\bGET\b/.test(sent.headers.allow ?? ""),
          "The answer does not say which methods the address takes.",
        );
        stage.untouched(sent);
      },
    ),
    make(
      "route.post-to-record",
      {
        title: "A form sent to the address of the record instead of its form's",
        expects: "405; nothing is written",
        by: "RFC 9110, 15.5.6",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
        const sent = await stage.post(stage.address(record.key), actor, encoded(form.pairs), { key: record.key });
        stage.answered(sent, [405]);
        stage.untouched(sent);
      },
    ),
    make(
      "route.missing-segment",
      {
        title: "The key's last part left out of the address",
        expects: "no record's form: 404, or 400 where the rest is no key",
        by: "RFC 9110, 15.5.5",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        // A key may be the very word that stands at the end of the address of a form.
        if (record.key.length === 1 && prepared.rows.some(({ key }) => key[0] === "edit"))
          throw new NotJudged("There is a record whose key is edit.");
        const short = [page.path.list, ...record.key.slice(0, -1).map(encodeSegment), "edit"].join("/");
        const sent = await stage.get(short, actor);
        stage.answered(sent, [400, 404]);
        stage.expect(sent.document.form === null, "A form is shown all the same.");
      },
    ),
    make(
      "route.unknown-address",
      {
        title: "An address below the record that is none",
        expects: "404",
        by: "RFC 9110, 15.5.5",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        stage.answered(await stage.get(`${stage.address(record.key)}/nothing-here`, actor), [404]);
      },
    ),
    make(
      "route.slash-at-the-end",
      {
        title: "A slash too many at the end of the address",
        expects: "leads to the address without it",
        by: "RFC 9110, 15.4",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const path = stage.address(record.key, "/edit");
        const sent = await stage.get(`${path}/`, actor);
        stage.expect([301, 302, 303, 307, 308].includes(sent.status), `It is answered ${sent.status}.`);
        stage.expect(
          (sent.headers.location ?? "").endsWith(path),
          `It leads to ${sent.headers.location ?? "nowhere"}.`,
        );
      },
    ),
    make(
      "route.head",
      {
        title: "HEAD of the form",
        expects: "as GET: 200",
        by: "RFC 9110, 9.3.2",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        stage.answered(await stage.send("HEAD", stage.address(record.key, "/edit"), actor), [200]);
      },
    ),
    make(
      "route.options",
      {
        title: "OPTIONS of the form",
        expects: "the methods that it takes, in Allow",
        by: "RFC 9110, 9.3.7",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const sent = await stage.send("OPTIONS", stage.address(record.key, "/edit"), actor);
        stage.expect(/GET.*POST/.test(sent.headers.allow ?? ""), `Allow is ${sent.headers.allow ?? "not there"}.`);
      },
    ),
    make(
      "route.no-deletion",
      {
        title: "Deleting where the page does not let anybody delete",
        expects: "404: there is no such address",
        by: "page file: access.delete is left out",
      },
      async (stage) => {
        if (page.access.delete) leaveOut("The page deletes records.");
        const { actor, record } = editing(prepared);
        const sent = await stage.post(stage.address(record.key, "/delete"), actor, "", { key: record.key });
        stage.answered(sent, [404]);
        stage.untouched(sent);
      },
    ),
  ];
}
