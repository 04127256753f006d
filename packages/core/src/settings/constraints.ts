import * as v from "valibot";
import type { Table } from "../table/model.js";
import { suggestion } from "../values/nearest.js";
import { recordOf } from "../values/record-of.js";
import type { Setting } from "./setting.js";
import { line } from "./shapes.js";

/** What is said where a constraint of the database does not hold. */
type ConstraintMessage = {
  readonly message: string;
  /** The field that it stands at; null is where it would stand without being named. */
  readonly at: string | null;
};

type Given = string | { message: string; at?: string | undefined };

/** The constraints by which a save can be refused, as far as the catalogs tell. */
const knownNames = ({ constraints, keys, unsafeKeys, references, dependents, demands }: Table): readonly string[] => [
  ...new Set([constraints, keys, unsafeKeys, references, dependents, demands].flat().map((each) => each.constraint)),
];

/** The words of one constraint; undefined where the page has none for it. */
export const wordsFor = (
  { constraints }: { readonly constraints: Readonly<Record<string, ConstraintMessage>> },
  name: string | null,
): ConstraintMessage | undefined => (name !== null && Object.hasOwn(constraints, name) ? constraints[name] : undefined);

/** The messages as the file has them, by the constraints' names: fields are bound before the page's other settings. */
export const constraintMessages = (given: unknown): Readonly<Record<string, string>> =>
  Object.fromEntries(
    Object.entries((given ?? {}) as Record<string, Given>).map(([name, words]) => [
      name,
      typeof words === "string" ? words : words.message,
    ]),
  );

export const constraints: Setting<Record<string, Given>, Readonly<Record<string, ConstraintMessage>>, "constraints"> = {
  label: "Messages of constraints",
  about: "What is said where a constraint of the table refuses a save, by the constraint's name.",
  details:
    "`hire_days_check: …`, or `{ message: …, at: field }`. It holds for CHECKs, unique and foreign keys and exclusions, and for a trigger that raises an error with this name (`USING CONSTRAINT`).",
  without: "words made of the labels, or the constraint as PostgreSQL has it",
  step: "check",
  editor: { kind: "own" },
  rare: true,
  columns: ["at"],
  into: "constraints",
  schema: () => recordOf(v.string(), v.union([line, v.strictObject({ message: line, at: v.optional(line) })])),
  bind: (given = {}, binder, path) =>
    Object.fromEntries(
      Object.entries(given).map(([name, words]) => {
        const known = knownNames(binder.table);
        if (!known.includes(name))
          binder.warning(
            "unknown-constraint",
            `The table has no constraint "${name}".${suggestion(name, known)} Its message is shown only if a trigger raises an error with this name.`,
            [...path, name],
          );
        const { message, at = null } = typeof words === "string" ? { message: words } : words;
        if (at !== null && !binder.fields.some(({ column }) => column.name === at))
          binder.unknownField(at, [...path, name, "at"]);
        return [name, { message, at }];
      }),
    ),
};
