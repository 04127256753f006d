import { expect, test } from "@jest/globals";
import { difference } from "./compare.js";
import { formsIn, type HtmlControl } from "./html-form.js";
import { readTemplate } from "./template.js";

test("a form is read as a browser has it: labels, groups, boxes, choices, controls that stand elsewhere", () => {
  const [form, second] = formsIn(`<form id="f" action="/a" method="POST"><fieldset><legend>Levels *</legend>
<label>Alert <b>level</b>: <input name=alert value=1 required></label></fieldset>
<input type=hidden name=on value=0><input type=checkbox name=on value=1 checked>
<fieldset><legend>Size</legend><label><input type=radio name=size value=s> Small</label><label><input type=radio name=size value=l checked> Large</label></fieldset>
<select name=kind><option value="" disabled>Choose</option><option>a</option></select><textarea name=notes>

two</textarea><input type=submit name=go value=Go></form><input form=f name=outside value=x><form><input name=q></form>`);
  const told = form?.controls.map(({ name, kind, label, group, value, hasHidden, isChosenByBrowser }) => [
    name,
    kind,
    label,
    group,
    value,
    hasHidden || isChosenByBrowser,
  ]);
  expect(told).toEqual([
    ["alert", "text", "Alert level", "Levels", "1", false],
    ["on", "checkbox", null, null, "1", true],
    ["size", "radio", "Size", null, "l", false],
    ["kind", "select", null, null, "a", true],
    ["notes", "textarea", null, null, "\ntwo", false],
    ["outside", "text", null, null, "x", false],
  ]);
  expect([form?.method, form?.action, second?.method]).toEqual(["post", "/a", "get"]);
  expect(form?.controls[0]?.demands).toEqual({ required: "" });
  expect(form?.controls[0]?.place).toEqual({ line: 2, column: 28 });
});

test("what a template prints stands for its values, and lines stay lines", () => {
  const { html, printed } = readTemplate("<% if (a) {\n %><p><%= a.b %></p><%# no %><%- c -%>\n<% } %>");
  expect(printed).toEqual([
    { code: "a.b", isEscaped: true },
    { code: "c", isEscaped: false },
  ]);
  expect(html.split("\n")).toHaveLength(3);
});

test("a value is held against what is stored, by its type", () => {
  const [form] = formsIn('<form><input name=a value="x"></form>');
  const shown = (value: string, kind = "text"): HtmlControl => ({ ...(form?.controls[0] as HtmlControl), value, kind });
  const column = (kind: string) =>
    ({ name: "a", type: { kind, cast: kind } }) as unknown as Parameters<typeof difference>[1];
  const cases: readonly (readonly [string, string, string | null, string | null])[] = [
    ["decimal", "1,234.50", "1234.5", null],
    ["decimal", "1,5", "1.50", null],
    ["decimal", "1.5", "1.45", "cut"],
    ["decimal", "7", "1.45", "other"],
    ["date", "31.03.2026", "2026-03-31", null],
    ["date", "2026-03-30", "2026-03-31", "shifted"],
    ["timestamptz", "2026-07-01T12:30", "2026-07-01 12:30:00+00", null],
    ["timestamptz", "2026-07-01T14:30", "2026-07-01 12:30:00+00", "shifted"],
    ["text", "a &amp; b", "a & b", "not-escaped"],
    ["text", "Otter ", 'Otter "Weir"', "not-escaped"],
    ["text", "Ott", "Otter", "cut"],
    ["text", "a b", "a  b", "white-space"],
    ["text", "a\r\nb", "a\nb", null],
    ["text", "", null, null],
    ["text", "", "x", "empty"],
    ["boolean", "true", "true", null],
    ["boolean", "false", "true", "other"],
  ];
  for (const [kind, value, stored, wanted] of cases)
    expect([kind, value, stored, difference(shown(value), column(kind), stored)?.is ?? null]).toEqual([
      kind,
      value,
      stored,
      wanted,
    ]);
});
