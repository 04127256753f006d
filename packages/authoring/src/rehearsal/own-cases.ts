import { type Actor, attributesFrom } from "@loyal-quill/core/condition/facts";
import { remarksOn } from "@loyal-quill/core/page/schema-issues";
import { mistakesIn, readYaml } from "@loyal-quill/core/page/yaml";
import type { StepName } from "@loyal-quill/core/trip/round-trip";
import { recordOf } from "@loyal-quill/core/values/record-of";
import * as v from "valibot";
import { LineCounter } from "yaml";
import { type Case, leaveOut } from "./case.js";
import { editing, typing } from "./cases/making.js";
import type { Prepared } from "./prepare.js";
import type { Stage } from "./stage.js";

/** What stands first in a file of cases. */
export const casesFormat = "loyal-quill/cases@1";

const text = v.pipe(v.string(), v.maxLength(100_000));
/** A value as YAML has it: numbers and truths are taken as they are written. */
const scalar = v.union([v.null(), v.pipe(v.union([text, v.number(), v.boolean()]), v.transform(String))]);
const values = recordOf(text, scalar);
const typed = recordOf(
  text,
  v.pipe(
    v.union([v.null(), text, v.number(), v.boolean()]),
    v.transform((value) => (value === null ? "" : String(value))),
  ),
);

const single = v.union([text, v.number(), v.boolean()]);
const attributes = v.pipe(
  recordOf(text, v.union([single, v.null(), v.array(single)])),
  v.transform((given) => attributesFrom(given)),
);
const rights = { roles: v.optional(v.array(text), []), attributes: v.optional(attributes, {}) };
const personSchema = v.strictObject({ id: v.optional(text), name: v.optional(text), ...rights });
const peopleSchema = v.array(v.strictObject({ id: text, name: text, ...rights }));

export const outcomes = [
  "shown",
  "saved",
  "unchanged",
  "invalid",
  "conflict",
  "refused",
  "not-found",
  "failed",
] as const;

const caseSchema = v.strictObject({
  name: v.pipe(text, v.minLength(1)),
  /** Who sends it: a known person's id or name, or one that is described; `nobody` for nobody. */
  as: v.optional(v.union([text, personSchema])),
  /** The key's values in the order of the address; left out for any record that the person may edit. */
  record: v.optional(v.union([scalar, v.array(scalar)])),
  /** Put into the row before the form is opened. */
  row: v.optional(values),
  /** What is typed; left out where the form is only opened. */
  type: v.optional(typed),
  /** Put into the row after the form was opened. */
  meanwhile: v.optional(values),
  expect: v.strictObject({
    outcome: v.optional(v.picklist(outcomes)),
    status: v.optional(v.number()),
    /** The fields at which a message stands. */
    at: v.optional(v.array(text)),
    /** Texts that stand in the answer. */
    says: v.optional(v.array(text)),
    /** What is stored afterwards, in PostgreSQL's text form. */
    stored: v.optional(values),
  }),
});

const fileSchema = v.strictObject({
  format: v.literal(casesFormat),
  /** People by a name of theirs, for `as`. */
  people: v.optional(recordOf(text, personSchema), {}),
  cases: v.array(caseSchema),
});

export type OwnCase = v.InferOutput<typeof caseSchema>;
export type CasesFile = v.InferOutput<typeof fileSchema>;

/** Why a file can't be read, at which line (from 1). */
export interface CasesProblem {
  readonly line: number;
  readonly message: string;
}

/** So many problems are told at once. */
const mostProblems = 100;

/** A file of YAML that stands beside page files. @param what what it is called, with its article */
function readBeside<Schema extends v.GenericSchema>(
  source: string,
  schema: Schema,
  what: string,
): { readonly file: v.InferOutput<Schema> } | { readonly problems: readonly CasesProblem[] } {
  const lines = new LineCounter();
  const document = readYaml(source, { lineCounter: lines });
  const lineAt = (offset: number): number => Math.max(1, lines.linePos(offset).line);
  if (document.errors.length > 0)
    return { problems: mistakesIn(document, source).map(({ message, at }) => ({ line: lineAt(at), message })) };
  const read = v.safeParse(schema, document.toJS());
  if (read.success) return { file: read.output };
  const { remarks } = remarksOn(schema, read.issues, what, mostProblems);
  return {
    problems: remarks.map(({ path, message }) => {
      const node = [...path.keys(), path.length]
        .map((length) => document.getIn(path.slice(0, path.length - length), true))
        .find((each) => each !== undefined && each !== null) as { range?: readonly number[] } | undefined;
      return { line: lineAt(node?.range?.[0] ?? 0), message };
    }),
  };
}

/** Reads a file of cases: a mapping that begins with its format. */
export const readCases = (source: string): ReturnType<typeof readBeside<typeof fileSchema>> =>
  readBeside(source, fileSchema, "a file of cases");

/** Reads a file of people to rehearse as: a list of them, each with id, name, roles and attributes. */
export const readPeople = (source: string): ReturnType<typeof readBeside<typeof peopleSchema>> =>
  readBeside(source, peopleSchema, "a file of people");

const personOf = (
  name: string,
  { id, name: called, roles, attributes }: v.InferOutput<typeof personSchema>,
): Actor => ({
  id: id ?? name,
  name: called ?? name,
  roles,
  attributes,
});

function actorOf({ as }: OwnCase, file: CasesFile, people: readonly Actor[], prepared: Prepared): Actor | null {
  if (as === undefined) return prepared.actor ?? leaveOut("There is nobody to whom the page is open.");
  if (as === "nobody") return null;
  if (typeof as !== "string") return personOf("somebody", as);
  const described = Object.hasOwn(file.people, as) ? file.people[as] : undefined;
  const known = described ? personOf(as, described) : people.find(({ id, name }) => id === as || name === as);
  if (!known) throw new Error(`Nobody is called ${as}: describe them under people, or name one of the accounts.`);
  return known;
}

const stepOf: Readonly<Record<(typeof outcomes)[number], StepName>> = {
  shown: "prefill",
  saved: "write",
  unchanged: "write",
  invalid: "check",
  conflict: "compare",
  refused: "access",
  "not-found": "load",
  failed: "write",
};

async function playOwn(stage: Stage, own: OwnCase, actor: Actor | null, key: readonly string[]): Promise<void> {
  const { page } = stage;
  const { expect: wanted } = own;
  const path = stage.address(key, "/edit");
  if (own.row) await stage.put(key, own.row);
  const opened = await stage.get(path, actor);
  if (own.meanwhile) await stage.put(key, own.meanwhile);
  const { form } = opened.document;
  const sent = own.type && form ? await stage.post(path, actor, typing(page, form, own.type), { key }) : opened;
  if (wanted.outcome)
    stage.expect(
      sent.outcome === wanted.outcome,
      `Its outcome is ${sent.outcome} (${sent.stopped ?? sent.status}), not ${wanted.outcome}.`,
    );
  if (wanted.status)
    stage.expect(sent.status === wanted.status, `It is answered ${sent.status}, not ${wanted.status}.`);
  for (const name of wanted.at ?? []) {
    const field = page.fields.find(({ column }) => column.name === name);
    if (field) stage.saysAt(sent, field.formName);
    else stage.expect(false, `There is no field ${name} on the page.`);
  }
  for (const each of wanted.says ?? [])
    stage.expect(sent.document.text.includes(each), `The answer does not say: ${each}`);
  const after = wanted.stored || own.type ? await stage.row(key) : null;
  for (const [name, value] of Object.entries(wanted.stored ?? {}))
    stage.expect(
      after?.[name] === value,
      `${name} is stored as ${after?.[name] ?? "null"}, not as ${value ?? "null"}.`,
    );
  if (own.type && sent !== opened && sent.outcome !== "saved") stage.untouched(sent);
}

/** A developer's own cases as cases of a rehearsal. */
export const ownCases =
  (file: CasesFile, people: readonly Actor[]) =>
  (prepared: Prepared): readonly Case[] =>
    file.cases.map((own, index) => ({
      id: `own.${index + 1}`,
      step: own.expect.outcome ? stepOf[own.expect.outcome] : "answer",
      kind: "own",
      title: own.name,
      expects: expectedInWords(own),
      by: "the page's own cases",
      quick: true,
      play: async (stage) => {
        const actor = actorOf(own, file, people, prepared);
        const given = own.record === undefined ? null : [own.record].flat().map((part) => part ?? "");
        const key = given ?? editing(prepared).record.key;
        if (key.length !== prepared.page.key.length)
          throw new Error(`The key has ${prepared.page.key.length} parts, and ${key.length} are given.`);
        await playOwn(stage, own, actor, key);
      },
    }));

function expectedInWords({ expect: { outcome, status, at, says, stored } }: OwnCase): string {
  const parts = [
    outcome && `outcome ${outcome}`,
    status && `status ${status}`,
    at && `a message at ${at.join(", ")}`,
    says && `the answer says: ${says.join("; ")}`,
    stored &&
      `stored: ${Object.entries(stored)
        .map(([name, value]) => `${name} ${value ?? "null"}`)
        .join(", ")}`,
  ].filter((part): part is string => typeof part === "string");
  return parts.join("; ") || "no failure";
}
