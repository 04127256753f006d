/** A JSON Schema (draft 2020-12) as far as it is looked into here. */
export interface Schema {
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly additionalProperties?: Schema | boolean;
  readonly items?: Schema;
  readonly anyOf?: readonly Schema[];
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
}

const optionsOf = (schema: Schema): readonly Schema[] => (schema.anyOf ? schema.anyOf.flatMap(optionsOf) : [schema]);

/** What may stand inside a schema under a name, or at a place of a list. */
const inside = (schema: Schema, part: string | number): readonly Schema[] =>
  optionsOf(schema).flatMap(({ properties, items, additionalProperties }) => {
    const found =
      properties?.[String(part)] ??
      items ??
      (typeof additionalProperties === "object" ? additionalProperties : undefined);
    return found ? optionsOf(found) : [];
  });

/** The names and words that can stand somewhere: those of an object, those to choose from, and those of a list's members. */
const namesOf = (schema: Schema): readonly string[] => [
  ...Object.keys(schema.properties ?? {}),
  ...(schema.enum ?? []).filter((each) => typeof each === "string"),
  ...(schema.items ? optionsOf(schema.items).flatMap(namesOf) : []),
];

/** The names and words that can stand at a place of a page file; of a field's settings `["fields", 0, "any name"]`. */
export function namesIn(schema: Schema | undefined, path: readonly (string | number)[]): readonly string[] {
  let here: readonly Schema[] = schema ? optionsOf(schema) : [];
  for (const part of path) here = here.flatMap((each) => inside(each, part));
  return [...new Set(here.flatMap(namesOf))];
}
