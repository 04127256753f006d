import { truthOf } from "@loyal-quill/core/condition/evaluate";
import { factsOf } from "@loyal-quill/core/condition/facts";
import { isMade } from "@loyal-quill/core/page/columns";
import type { Check, Field, Page } from "@loyal-quill/core/page/page";
import type { Row, Stored } from "@loyal-quill/core/postgres/statement";
import { kindOf } from "@loyal-quill/core/rules/index";
import type { Rule } from "@loyal-quill/core/rules/rule";
import { readValue } from "@loyal-quill/core/values/read-value";
import { type Case, leaveOut, NotJudged } from "../case.js";
import { type Prepared, typedOf } from "../prepare.js";
import type { Stage } from "../stage.js";
import type { Sent } from "../staging.js";
import { checksOf } from "./checks-of.js";
import { casesOf, editing, otherValues, typedFields, typing } from "./making.js";
import { refusedBy } from "./refused-by.js";
import { beside, isBlank, type Sides, sidesOf } from "./sides.js";

const make = casesOf("check");

/** Texts that are no value of the type. */
const noValues: Readonly<Partial<Record<Field["column"]["type"]["kind"], readonly string[]>>> = {
  integer: ["12x", "1.5", "99999999999999999999"],
  decimal: ["abc", "1,2,3.4.5", "--1"],
  float: ["abc", "1e999"],
  date: ["2026-02-30", "yesterday"],
  time: ["25:00", "noonish"],
  timestamp: ["2026-13-01T00:00", "soon"],
  timestamptz: ["2026-13-01T00:00", "soon"],
  uuid: ["123", "zzzzzzzz-zzzz-4zzz-8zzz-zzzzzzzzzzzz"],
  json: ["{", "[1,"],
};

/** Sends the form of a record with texts typed into some of its fields, by their columns. */
export async function type(stage: Stage, prepared: Prepared, typed: Readonly<Record<string, string>>): Promise<Sent> {
  const { actor, record } = editing(prepared);
  const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
  const body = typing(prepared.page, form, typed);
  return stage.post(stage.address(record.key, "/edit"), actor, body, { key: record.key });
}

/** The form comes back with a message at the field, and with what was typed. */
function refusedAt(stage: Stage, sent: Sent, field: Field, typed: string): void {
  stage.answered(sent, [422], "invalid");
  stage.untouched(sent);
  if (sent.outcome !== "invalid") return;
  stage.saysAt(sent, field.formName);
  const control = sent.document.form?.controls.find(
    ({ name, type: kind }) => name === field.formName && kind !== "hidden",
  );
  if (
    control &&
    /^(text|textarea|search|url|email|tel)$/.test(control.type) &&
    typed.trim() === typed &&
    field.tidy.length === 0
  )
    stage.expect(
      (control.value ?? "").replaceAll("\r\n", "\n") === typed.replaceAll("\r\n", "\n"),
      `What was typed into ${field.column.name} is gone: its control holds ${JSON.stringify(control.value)}.`,
    );
}

/** A check across fields that is false with these values in the form. */
function failedCheck(prepared: Prepared, values: Readonly<Record<string, Stored>>): string | null {
  const { actor, record } = editing(prepared);
  const facts = { ...factsOf(actor, prepared.now), row: record.row, form: { ...record.row, ...values } };
  return (
    checksOf(prepared.page).find(({ condition }) => truthOf(condition.expression, facts) === false)?.condition.source ??
    null
  );
}

/** Values of other fields by which the checks that a value fails hold again; none where nothing helps, or is needed. */
function besidesFor(prepared: Prepared, field: Field, value: Stored): Readonly<Record<string, Stored>> {
  const { page, now } = prepared;
  const { actor, record } = editing(prepared);
  const row = { ...record.row, [field.column.name]: value };
  const facts = { ...factsOf(actor, now), row: record.row };
  const failed = checksOf(page).find(
    ({ condition }) => truthOf(condition.expression, { ...facts, form: row }) === false,
  );
  if (!failed) return {};
  for (const other of typedFields(page)) {
    const { name, nullable, type: kind } = other.column;
    if (other === field || !failed.condition.formColumns.includes(name)) continue;
    const near = value === null ? [] : [beside(value, 1, kind.scale ?? 0), beside(value, -1, kind.scale ?? 0)];
    const rounded =
      value === null ? [] : [String(Math.floor(Number(value)) + 1), String(Math.floor(Number(value)) - 1)];
    for (const candidate of [
      ...near,
      ...rounded,
      ...otherValues(prepared, other, record.row),
      ...(nullable ? [null] : []),
    ]) {
      const typed = typedOf(page, other, candidate);
      if (candidate === "NaN" || refusedBy(other, candidate, typed) !== null) continue;
      try {
        const form = { ...row, [name]: candidate };
        if (checksOf(page).every(({ condition }) => truthOf(condition.expression, { ...facts, form }) !== false))
          return { [name]: candidate };
      } catch {
        // No value of the column's type.
      }
    }
  }
  return {};
}

function ruleCases(prepared: Prepared, field: Field, rule: Rule, place: number): Case[] {
  const { name } = field.column;
  const kind = kindOf(rule);
  const words = kind.words(rule.demand) ?? rule.rule;
  const by = rule.from === "page" ? `page file: rules of ${name}` : `table: ${name}`;
  const about = place === 0 ? name : `${name}:${place}`;
  const sides = (): Sides => {
    const { actor, record } = editing(prepared);
    if (
      rule.when &&
      truthOf(rule.when.expression, { ...factsOf(actor, prepared.now), row: record.row, form: record.row }) !== true
    )
      throw new NotJudged(`The rule does not apply to this record: ${rule.when.source}.`);
    const found = sidesOf(prepared, field, rule, record.row);
    if (typeof found === "string") throw new NotJudged(found);
    return found;
  };
  return [
    make(
      `check.${rule.rule}.outside`,
      {
        title: `${field.label}, just outside of: ${words}`,
        expects: "422, the message at the field, what was typed kept; nothing is written",
        by,
      },
      async (stage) => {
        const { outside } = sides();
        if (outside.length === 0) throw new NotJudged("No value was found that the rule would refuse.");
        for (const { typed } of outside)
          refusedAt(stage, await type(stage, prepared, { [field.column.name]: typed }), field, typed);
      },
      about,
    ),
    ...(rule.rule === "required" || rule.rule === "scale" || (rule.demand as { ofType?: true } | null)?.ofType
      ? []
      : [
          make(
            `check.${rule.rule}.inside`,
            { title: `${field.label}, just inside of: ${words}`, expects: "this rule has nothing against it", by },
            async (stage) => {
              const { inside } = sides();
              if (inside.length === 0) throw new NotJudged("No value was found that is just inside.");
              let because = "";
              let stricter: string | null = null;
              let judged = 0;
              for (const { typed, value } of inside) {
                // What a check across fields has against it is put right in another field.
                const beside = besidesFor(prepared, field, value);
                const sent = await stage.tried(() =>
                  type(stage, prepared, { ...asTyped(prepared.page, beside), [field.column.name]: typed }),
                );
                stage.expect(
                  sent.status < 500,
                  `${JSON.stringify(typed)} is answered ${sent.status} (${sent.stopped ?? sent.outcome}).`,
                );
                if (sent.outcome === "saved" || sent.outcome === "unchanged") {
                  judged += 1;
                  continue;
                }
                const control = sent.document.form?.controls.find(
                  (each) => each.name === field.formName && each.type !== "hidden",
                );
                stricter ??= refusedBy(field, value, typed, rule);
                const other = stricter ?? failedCheck(prepared, { ...beside, [field.column.name]: value });
                if (
                  control?.invalid &&
                  other === null &&
                  field.rules.filter((each) => each.rule !== rule.rule && /^(unique|exists|offered)$/.test(each.rule))
                    .length === 0 &&
                  sent.refused === null
                ) {
                  stage.expect(false, `${JSON.stringify(typed)} is refused: ${control.said.trim()}`);
                  judged += 1;
                } else because = sent.stopped ?? sent.outcome;
              }
              if (judged === 0 && stricter !== null) leaveOut(`Another rule of the field is stricter: ${stricter}.`);
              if (judged === 0) throw new NotJudged(`Something else stands against it: ${because}`);
            },
            about,
          ),
        ]),
  ];
}

/** Edits of one field, or of two, by which a check comes to a truth; null where none was found. */
function reaching(
  prepared: Prepared,
  check: Check,
  row: Row,
  wanted: true | false | null,
): Readonly<Record<string, Stored>> | null {
  const { page, values, now } = prepared;
  const { actor } = editing(prepared);
  const fields = typedFields(page).filter(({ column }) => check.condition.formColumns.includes(column.name));
  const candidates = (field: Field): readonly Stored[] => {
    const { name, nullable, type: kind } = field.column;
    const own = row[name] ?? null;
    const near = own === null ? [] : [1, -1].map((by) => beside(own, by as 1 | -1, kind.scale ?? 0));
    // What stands in the other columns that it asks about, and what lies beside that.
    const others = [...check.condition.formColumns, ...check.condition.rowColumns].flatMap((other) => {
      const value = other === name ? null : (row[other] ?? null);
      if (value === null) return [];
      const near = [value, beside(value, 1, kind.scale ?? 0), beside(value, -1, kind.scale ?? 0)];
      // Of a moment its day, where days are asked for.
      const days = kind.kind === "date" && /^\d{4}-\d\d-\d\d/.test(value) ? [value.slice(0, 10)] : [];
      return [...days, ...near].filter((each) => each !== null && readValue(kind, each, page.timeZone).ok);
    });
    const known = [...others, ...(values.get(name) ?? [])];
    const all = wanted === null ? [null] : [...near, ...known, ...otherValues(prepared, field, row)];
    return all.filter(
      (value) =>
        value !== own &&
        (value !== null || nullable) &&
        refusedBy(field, value, value === null ? "" : typedOf(page, field, value)) === null,
    );
  };
  const truth = (edits: Readonly<Record<string, Stored>>): boolean => {
    try {
      return (
        truthOf(check.condition.expression, { ...factsOf(actor, now), row, form: { ...row, ...edits } }) === wanted
      );
    } catch {
      return false;
    }
  };
  const others = checksOf(page).filter((each) => each !== check);
  const passesOthers = (edits: Readonly<Record<string, Stored>>): boolean =>
    others.every(
      (each) =>
        truthOf(each.condition.expression, { ...factsOf(actor, now), row, form: { ...row, ...edits } }) !== false,
    );
  for (const field of fields)
    for (const value of candidates(field)) {
      const edits = { [field.column.name]: value };
      if (truth(edits) && (wanted === false || passesOthers(edits))) return edits;
    }
  for (const one of fields)
    for (const other of fields)
      if (one !== other)
        for (const a of candidates(one).slice(0, 20))
          for (const b of candidates(other).slice(0, 20)) {
            const edits = { [one.column.name]: a, [other.column.name]: b };
            if (truth(edits)) return edits;
          }
  return null;
}

/** Whether something that a check asks of the form may be empty. */
const canBeUnknown = ({ page }: Prepared, { condition }: Check): boolean =>
  typedFields(page).some(({ column }) => column.nullable && condition.formColumns.includes(column.name));

/** Values as they would be typed. */
const asTyped = (page: Page, values: Readonly<Record<string, Stored>>): Record<string, string> =>
  Object.fromEntries(
    Object.entries(values).map(([name, value]) => {
      const field = page.fields.find(({ column }) => column.name === name) as Field;
      return [name, typedOf(page, field, value)];
    }),
  );

async function typeAll(stage: Stage, prepared: Prepared, edits: Readonly<Record<string, Stored>>): Promise<Sent> {
  const { page } = prepared;
  const { actor, record } = editing(prepared);
  const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
  const typed = asTyped(page, edits);
  return stage.post(stage.address(record.key, "/edit"), actor, typing(page, form, typed), { key: record.key });
}

function checkCasesOf(prepared: Prepared, check: Check, place: number): Case[] {
  const by = `page file: checks, ${check.condition.source}`;
  const about = String(place + 1);
  return [
    make(
      "check.across.false",
      {
        title: `A form for which it is false: ${check.condition.source}`,
        expects: "422 with the check's message; nothing is written",
        by,
      },
      async (stage) => {
        const { record } = editing(prepared);
        const edits = reaching(prepared, check, record.row, false);
        if (!edits) throw new NotJudged("No values were found for which the check is false.");
        const sent = await typeAll(stage, prepared, edits);
        stage.answered(sent, [422], "invalid");
        stage.untouched(sent);
        stage.expect(sent.document.text.includes(check.message), `The message is not there: ${check.message}`);
        const at = prepared.page.fields.find(({ column }) => column.name === check.at);
        if (at && sent.outcome === "invalid") stage.saysAt(sent, at.formName);
      },
      about,
    ),
    ...([true, null] as const).map((wanted) =>
      make(
        wanted ? "check.across.true" : "check.across.unknown",
        {
          title: `A form for which it is ${wanted ? "true" : "unknown"}: ${check.condition.source}`,
          expects: wanted ? "the check has nothing against it" : "unknown passes, as in a CHECK of the table",
          by: wanted ? by : "ISO 9075-2, 4.18.3.4",
        },
        async (stage) => {
          const { record } = editing(prepared);
          if (wanted === null && !canBeUnknown(prepared, check)) leaveOut("None of what it asks about can be empty.");
          const edits = reaching(prepared, check, record.row, wanted);
          if (!edits)
            throw new NotJudged(`No values were found for which the check is ${wanted ? "true" : "unknown"}.`);
          const sent = await typeAll(stage, prepared, edits);
          stage.expect(sent.status < 500, `It is answered ${sent.status} (${sent.stopped ?? sent.outcome}).`);
          stage.expect(!sent.document.text.includes(check.message), `It is refused all the same: ${check.message}`);
        },
        about,
      ),
    ),
  ];
}

/** Check: each rule of each field on both sides of its bound; each check across fields, true, false and unknown. */
export function checkCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  const fields = typedFields(page);
  return [
    ...fields.flatMap((field) => {
      const wrong = field.choices === null ? noValues[field.column.type.kind] : undefined;
      return wrong
        ? [
            make(
              "check.type",
              {
                title: `${field.label}: texts that are no ${field.column.type.shown}`,
                expects: "422, the message at the field, what was typed kept; nothing is written",
                by: `table: ${field.column.name} ${field.column.type.shown}`,
              },
              async (stage) => {
                for (const typed of wrong)
                  refusedAt(stage, await type(stage, prepared, { [field.column.name]: typed }), field, typed);
              },
              field.column.name,
            ),
          ]
        : [];
    }),
    ...fields.flatMap((field) =>
      field.rules.flatMap((rule, index) => {
        const place = field.rules.slice(0, index).filter((each) => each.rule === rule.rule).length;
        // A rule of the table that a stricter one of the page stands before is never reached.
        return ruleCases(prepared, field, rule, place);
      }),
    ),
    ...page.checks.flatMap((check, place) => checkCasesOf(prepared, check, place)),
    make(
      "check.all-at-once",
      { title: "Two fields that are wrong at once", expects: "both are told", by: "WCAG 2.2, 3.3.1" },
      async (stage) => {
        const required = fields.filter((field) => {
          const { column, rules, control, choices } = field;
          // What is made of another field is never left empty.
          if (choices !== null || control === "check-box" || isMade(field)) return false;
          return (
            !isBlank(editing(prepared).record.row[column.name]) &&
            rules.some(({ rule, when }) => rule === "required" && when === null)
          );
        });
        const wrong = fields.flatMap((field) =>
          field.choices === null && noValues[field.column.type.kind] ? [field] : [],
        );
        const two = [...new Set([...wrong, ...required])].slice(0, 2);
        const [one, other] = two;
        if (!one || !other) leaveOut("The form has no two fields that a rehearsal can make wrong.");
        const typed = (field: Field): string => noValues[field.column.type.kind]?.[0] ?? "";
        const sent = await type(stage, prepared, { [one.column.name]: typed(one), [other.column.name]: typed(other) });
        stage.answered(sent, [422], "invalid");
        stage.saysAt(sent, one.formName);
        stage.saysAt(sent, other.formName);
        stage.untouched(sent);
      },
    ),
  ];
}
