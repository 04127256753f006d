import type { Facts } from "../condition/facts.js";
import { isKnownByKey, type TableChoices } from "../controls/choice-source.js";
import { type Language, word } from "../messages/messages.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import type { Field } from "../page/page.js";
import { isRefusedAs } from "../postgres/refusal.js";
import type { Database, Row, Stored } from "../postgres/statement.js";
import { choicesStatement, labelsStatement, mostFound, mostOptions } from "../statements/find-choices.js";
import type { Trip } from "../trip/trip.js";
import { byName } from "../values/by-name.js";
import type { ChoiceSearch, Offer, Offers, Option } from "../views/form-view.js";

const listed = (options: readonly Option[]): Offer => ({ options, by: "list", searched: null });

const yesNo = (language: Language): readonly Option[] => [
  { value: "true", label: word(language, "yes") },
  { value: "false", label: word(language, "no") },
];

const toOption = (row: Row): Option => ({ value: row.value ?? "", label: row.label ?? row.value ?? "" });

/** Whether a field's choices depend on what else is on the form. */
export const dependsOnForm = (field: Field): boolean =>
  field.choices?.from === "table" && (field.choices.where?.formColumns.length ?? 0) > 0;

/** What is found among a field's choices, at most {@link mostFound}, and whether there is more. */
async function findChoices(
  choices: TableChoices,
  text: string,
  facts: Facts,
  database: Database,
): Promise<{ readonly options: readonly Option[]; readonly more: boolean }> {
  const rows = await database.run(choicesStatement(choices, facts, text));
  return { options: rows.slice(0, mostFound).map(toOption), more: rows.length > mostFound };
}

/** The options of a list of all, or null where there are too many for one. */
export async function listOf(
  choices: TableChoices,
  facts: Facts,
  database: Database,
): Promise<readonly Option[] | null> {
  const rows = await database.run(choicesStatement(choices, facts));
  return rows.length > mostOptions ? null : rows.map(toOption);
}

/** The lists that are the same whoever asks: labels of enums, yes and no. */
export const constantLists = memoizePerPage(
  (page): Offers =>
    new Map(
      page.fields.flatMap(({ choices, column }): [string, Offer][] => {
        if (choices?.from === "truth") return [[column.name, listed(yesNo(page.language))]];
        if (choices?.from !== "labels") return [];
        return [[column.name, listed(choices.labels.map((label) => ({ value: label, label })))]];
      }),
    ),
);

/** The lists that can be asked for before the record is known. Those that depend on it are left out. */
export async function loadLists({
  page,
  facts,
  dependencies: { database },
}: Pick<Trip, "page" | "facts" | "dependencies">): Promise<Offers> {
  const lists = page.fields.map(async (field): Promise<[string, Offer][]> => {
    const { choices, column } = field;
    if (choices?.from !== "table" || choices.by === "search" || dependsOnForm(field)) return [];
    const options = await listOf(choices, facts, database);
    return options ? [[column.name, listed(options)]] : [];
  });
  return new Map([...constantLists(page), ...(await Promise.all(lists)).flat()]);
}

/**
 * Options for the values that are not among those offered, each marked where it is no longer on offer. What is known by a part of a key only, such as
 * the number of a channel, is another one elsewhere: it has no label where it is not offered.
 */
async function labelled(
  choices: TableChoices,
  values: readonly string[],
  { page: { language }, facts, dependencies: { database } }: Pick<Trip, "page" | "facts" | "dependencies">,
): Promise<readonly Option[]> {
  if (values.length === 0 || !isKnownByKey(choices)) return [];
  try {
    const rows = await database.run(labelsStatement(choices, values, facts));
    return rows.map((row) => {
      const { value, label } = toOption(row);
      return { value, label: row.offered === "true" ? label : word(language, "no-longer-offered", { value: label }) };
    });
  } catch (error) {
    // A value that was typed by hand and is none of the key's type has no label.
    if (isRefusedAs(error, "bad value", "unreadable text")) return [];
    throw error;
  }
}

/** Every value that a control shows, stored and typed, by column. */
export type ShownValues = Pick<ReadonlyMap<string, readonly Stored[]>, "get">;

/** The values that are not among the options. */
const missingIn = (options: readonly Option[], values: readonly Stored[] = []): readonly string[] =>
  [...new Set(values)].filter(
    (value): value is string => value !== null && value !== "" && options.every((option) => option.value !== value),
  );

/**
 * Completes the lists with what needs the record: choices that depend on it, what was looked for, and the labels of values that
 * are not among those offered.
 *
 * @param form asked for what the form comes to, by column
 */
export async function completeOffers(
  trip: Trip,
  lists: Offers,
  shown: ShownValues,
  { form = () => byName(), search = null }: { readonly form?: () => Row; readonly search?: ChoiceSearch | null } = {},
): Promise<Offers> {
  const {
    page,
    facts,
    dependencies: { database },
  } = trip;
  const offerOf = async (choices: TableChoices, name: string, here: Facts): Promise<Offer> => {
    const list = lists.get(name)?.options ?? (choices.by === "list" ? await listOf(choices, here, database) : null);
    const searched = list === null && search?.column === name ? search.text : null;
    const found = searched === null ? null : await findChoices(choices, searched, here, database);
    const options = list ?? found?.options ?? [];
    const more = await labelled(choices, missingIn(options, shown.get(name)), { ...trip, facts: here });
    return {
      options: [...more, ...options],
      by: list ? "list" : "search",
      searched: found && { text: searched ?? "", found: found.options.length, more: found.more },
    };
  };
  const asked = page.fields.flatMap(({ choices, column: { name } }) => {
    const known = lists.get(name);
    const isWhole = known && missingIn(known.options, shown.get(name)).length === 0;
    return choices?.from === "table" && !isWhole ? [{ name, choices }] : [];
  });
  if (asked.length === 0) return lists;
  const here = { ...facts, form: form() };
  const offers = new Map(lists);
  await Promise.all(
    asked.map(async ({ name, choices }) => {
      offers.set(name, await offerOf(choices, name, here));
    }),
  );
  return offers;
}
