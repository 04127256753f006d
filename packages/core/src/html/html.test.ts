import { describe, expect, test } from "@jest/globals";
import { attributes, html, inApostrophes } from "../markup/markup.js";
import { prefillFields } from "../steps/prefill.js";
import { frameOf, mv014, recordOf, stationPage, tripOf } from "../testing/marrow-vale.js";
import type { Frame } from "../views/frame.js";
import type { ListView } from "../views/list-view.js";
import { formPage } from "./form.js";
import { documentOf } from "./layout.js";
import { listPage as listParts } from "./list.js";

const frame = frameOf({ styleSheets: ["/s.css"] });
const listPage = (view: ListView, around: Frame): string => documentOf(around, listParts(view, around));
const form = (over: object = {}) => documentOf(frame, formParts(over));
const formParts = (over: object = {}) =>
  formPage(
    {
      page: stationPage,
      form: "edit",
      ids: "",
      back: null,
      kept: {},
      begins: {},
      reason: null,
      removable: false,
      key: ["MV-014"],
      title: "Station MV-014, Otter Weir",
      fields: prefillFields(tripOf(), "edit", recordOf(mv014)),
      token: 'sig.{"a":1}',
      problems: [],
      conflicts: [],
      locked: null,
      notice: null,
      certain: true,
      heading: null,
      ...over,
    },
    frame,
  );

describe("markup", () => {
  test("every value is escaped, markup is not, nothing is nothing", () => {
    expect(html`<p title="${'"'}">${"<b>"}${html`<i>x</i>`}${null}${false}${["&", html`<br>`]}</p>`.text).toBe(
      '<p title="&quot;">&lt;b&gt;<i>x</i>&amp;<br></p>',
    );
  });

  test("between apostrophes quotation marks stand as they are, and nothing ends the value", () => {
    expect(html`<p title=${inApostrophes(`{"a":"it's <b> & \r"}`)}>`.text).toBe(
      `<p title='{"a":"it&#39;s &lt;b&gt; &amp; &#13;"}'>`,
    );
  });

  test("a form's token stands in it as it is, whatever is in it", () => {
    const token = `sig.{"key":["O'Hara & <i>"]}`;
    expect(form({ token })).toContain(`name="quill.token" value='sig.{"key":["O&#39;Hara &amp; &lt;i&gt;"]}'>`);
  });

  test("attributes with values, bare, and absent", () => {
    expect(attributes({ name: "a'b", checked: true, required: false, id: null }).text).toBe(' name="a&#39;b" checked');
  });
});

describe("the form", () => {
  test("a multi-line text keeps its leading line break and every space", () => {
    expect(form()).toContain(
      '<textarea id="field-10" name="notes" rows="5">\n\nTwo lines &amp; a &lt;tag&gt;.&#13;\nThe end. </textarea>',
    );
  });

  test("title and heading name the record, the key is text and no control", () => {
    const page = form();
    expect(page).toContain("<title>Station MV-014, Otter Weir · Marrow Vale</title>");
    expect(page).toContain('<h1 tabindex="-1" autofocus>Station MV-014, Otter Weir</h1>');
    expect(page).not.toContain('name="code"');
  });

  test("the stored choice is selected, a ticked box is ticked", () => {
    expect(form()).toContain('<option value="6" selected>6 (no longer offered)</option>');
    expect(form()).toContain('name="telemetry" type="checkbox" value="true" checked>');
  });

  test("a problem stands beside its field and above the form, linked", () => {
    const fields = prefillFields(tripOf(), "edit", recordOf(mv014), { typed: new Map([["warning_m", "x"]]) }).map(
      (view) => (view.field.column.name === "warning_m" ? { ...view, problems: ["Not a number."] } : view),
    );
    const page = form({ fields, problems: [{ field: "warning_m", message: "Not a number." }] });
    expect(page).toContain('<a href="#field-7">Not a number.</a>');
    expect(page).toMatch(
      /id="field-7" name="warning_m" aria-describedby="field-7-help field-7-unit field-7-problem field-7-stored" aria-invalid="true"/,
    );
    expect(page).toContain("<title>Error: ");
  });

  test("a locked record has no form, and says why", () => {
    const page = form({ locked: "A retired station is kept as it was." });
    expect(page).not.toContain("<form");
    expect(page).toContain("A retired station is kept as it was.");
  });
});

describe("the list", () => {
  const view = {
    page: stationPage,
    rows: [{ ...mv014, "quill:key 0": "MV-014", "quill:editable": "true" }],
    search: "",
    filters: [],
    offers: new Map(),
    sort: stationPage.list.sort,
    kept: {},
    previous: null,
    next: null,
    count: null,
    tooSlow: false,
    looked: null,
    wrong: [],
    sought: null,
    forms: null,
    problem: null,
    makes: false,
    notice: null,
    savedAddress: null,
  };

  test("every row carries its way in", () => {
    expect(listPage(view, frame)).toContain(
      '<a href="/stations/MV-014/edit">Edit<span class="quill-unseen"> MV-014</span></a>',
    );
  });

  test("a record whose state allows no edit is led to, not to its form", () => {
    const retired = listPage(
      { ...view, rows: [{ ...mv014, "quill:key 0": "MV-014", "quill:editable": "false" }] },
      frame,
    );
    expect(retired).toContain('<a href="/stations/MV-014">View<span class="quill-unseen"> MV-014</span></a>');
    expect(retired).not.toContain("/edit");
  });

  test("a key is encoded for the address and escaped for the page", () => {
    const odd = listPage(
      { ...view, rows: [{ ...mv014, "quill:key 0": 'a/b "c" ö', "quill:editable": "true" }] },
      frame,
    );
    expect(odd).toContain('href="/stations/a%2Fb%20%22c%22%20%C3%B6/edit"');
  });

  test("an empty list says why", () => {
    expect(listPage({ ...view, rows: [] }, frame)).toContain("There is no record here that you have access to.");
    expect(listPage({ ...view, rows: [], search: "<x>" }, frame)).toContain("Nothing here contains “&lt;x&gt;”.");
  });
});
