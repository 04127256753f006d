import { type Expression, everyPart } from "@loyal-quill/core/condition/expression";
import type { Page } from "@loyal-quill/core/page/page";
import { judgedBy, tableChoices, takenBy } from "./parts.js";
import { keyOf } from "./source.js";

/** What an exported page asks about a person, besides id and name. */
interface ActorAttribute {
  readonly name: string;
  readonly isList: boolean;
  /** The members of the list that conditions name. */
  readonly values: readonly string[];
  /** The column that it is compared with where it says whose record it is. */
  readonly column: string | null;
}

/** The literals of a list, or the one that is looked for in it. */
const literalsIn = (expression: Expression): readonly string[] =>
  everyPart(expression).flatMap((part) =>
    part.op === "literal" && typeof part.value === "string" ? [part.value] : [],
  );

/** The column of the record that conditions compare an attribute with. */
function columnLike(name: string, parts: readonly Expression[]): string | null {
  for (const part of parts) {
    if (part.op !== "compare" || part.by !== "==") continue;
    const sides = [part.left, part.right];
    const column = sides.find((side) => side.op === "column" && side.from === "row");
    if (column?.op === "column" && sides.some((side) => side.op === "actor" && side.attribute === name))
      return column.column.name;
  }
  return null;
}

/** What a page's conditions and values ask about a person. */
export function attributesOfActor(page: Page): readonly ActorAttribute[] {
  const { open, rows, edit } = page.access;
  const ofRecord = [
    ...[open, rows, edit, ...judgedBy(page)].flatMap((each) => (each ? [each.expression] : [])),
    ...page.sets.map(({ value }) => value.expression),
    ...page.fields.flatMap(({ when }) => when?.expression ?? []),
  ].flatMap(everyPart);
  const ofChoices = takenBy(page).flatMap((field) => tableChoices(field)?.where?.expression ?? []);
  const parts = [...ofRecord, ...ofChoices.flatMap(everyPart)];
  const values = new Map<string, Set<string>>();
  for (const part of parts) {
    if ((part.op !== "in" && part.op !== "some" && part.op !== "every") || part.list.op !== "actor") continue;
    const { attribute } = part.list;
    const known = values.get(attribute) ?? new Set();
    for (const each of literalsIn(part.op === "in" ? part.value : part.body)) known.add(each);
    values.set(attribute, known);
  }
  const names = new Set(
    parts.flatMap((part) => (part.op === "actor" && !["id", "name"].includes(part.attribute) ? [part.attribute] : [])),
  );
  return [...names].map((name) => ({
    name,
    isList: values.has(name),
    values: [...(values.get(name) ?? [])],
    column: columnLike(name, ofRecord),
  }));
}

/** The file that says what the page asks about a person. */
export const actorFile = (page: Page): string => `/** Who asks, as your application knows them. */
export interface Actor {
  /** What the log calls them: it must not change when their name does. */
  readonly id: string;
  readonly name: string;
${attributesOfActor(page)
  .map(({ name, isList }) => `readonly ${keyOf(name)}: ${isList ? "readonly string[]" : "string | null"};`)
  .join("\n")}
}
`;
