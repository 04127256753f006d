import { truthOf } from "../condition/evaluate.js";
import type { Facts } from "../condition/facts.js";
import { controlKind } from "../controls/index.js";
import { comparable, keeping, show } from "../controls/show.js";
import { type Language, word } from "../messages/messages.js";
import { isMade, isTaken } from "../page/columns.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import type { Field, Page } from "../page/page.js";
import type { Row, Stored } from "../postgres/statement.js";
import { encodeSegment, fileSegment, queryText } from "../settings/bound/path.js";
import type { Signer } from "../trip/signer.js";
import type { Trip } from "../trip/trip.js";
import { byName } from "../values/by-name.js";
import { hasOwnWay } from "../values/in-language.js";
import type { FieldView, FormKind, Offers, Option } from "../views/form-view.js";
import { renderFor } from "../views/own-text.js";
import { told } from "../views/told.js";
import type { StoredRecord } from "./load.js";
import { dependsOnForm } from "./offer.js";
import type { Claims, FieldDigest } from "./token.js";

/** The options with one more value among them, marked: what is stored but no longer on offer must stay selected. */
function withValue(
  options: readonly Option[],
  value: Stored,
  language: Language,
  mark: "no-longer-offered" | "not-offered" | null,
): readonly Option[] {
  if (value === null || value === "" || options.some((option) => option.value === value)) return options;
  return [{ value, label: mark === null ? value : word(language, mark, { value }) }, ...options];
}

/**
 * The fields that are on a record's form: those whose `when` holds for it as it is stored. A new record has only fields that
 * are taken: there is nothing to show yet.
 */
const fieldsOn = (page: Page, form: FormKind, row: Row, facts: Facts): readonly Field[] =>
  page.fields.filter(
    (field) =>
      (form === "edit" || field.onNew) &&
      (field.when === null || truthOf(field.when.expression, { ...facts, row }) === true),
  );

/**
 * Whether a field has to be filled in, as far as that is known before it is sent. An old record without the value must stay repairable
 * elsewhere, so only what is there may not be emptied; what the table gives, or what is made of another field, may be left out.
 */
const isNeeded = (field: Field, form: FormKind, text: string): boolean =>
  !controlKind(field.control).isBox &&
  !isMade(field) &&
  field.rules.some(({ rule, when }) => rule === "required" && when === null) &&
  (text !== "" || (form === "new" && field.column.default === null));

interface Filling {
  /** The choices of the fields that have some, by column name. */
  readonly offers?: Offers;
  /** The controls' texts of a submission, by column name; a field that is not among them shows what is stored. */
  readonly typed?: ReadonlyMap<string, string> | undefined;
}

/**
 * Fills the controls: from the stored row, or with what was typed where something was.
 *
 * @param record what is stored, as far as that is known
 */
export function prefillFields(
  { page, key, facts, request }: Pick<Trip, "page" | "key" | "facts" | "request">,
  form: FormKind,
  { row, isUnknown }: StoredRecord,
  { offers = new Map(), typed = new Map() }: Filling = {},
): readonly FieldView[] {
  // Of a record of which nothing is known there is only what was typed.
  const fields = isUnknown
    ? page.fields.filter(({ column }) => typed.has(column.name))
    : fieldsOn(page, form, row, facts);
  return fields.map((field) => {
    const { name } = field.column;
    const offer = offers.get(name) ?? null;
    const stored = row[name] ?? null;
    const shown = show(field, stored, page);
    const text = typed.get(name) ?? shown.text;
    return {
      field,
      name: field.formName,
      control: keeping(shown.control, text),
      text,
      options:
        field.choices === null
          ? []
          : withValue(
              withValue(offer?.options ?? [], stored, page.language, "no-longer-offered"),
              text,
              page.language,
              isUnknown ? null : "not-offered",
            ),
      offer: offer && { by: offer.by, searched: offer.searched },
      depends: dependsOnForm(field),
      withNames: dependsOnForm(field) ? namesItDependsOn(page, field) : [],
      replaces:
        form === "edit" &&
        !isUnknown &&
        typed.has(name) &&
        text !== shown.text &&
        !field.hidden &&
        field.control !== "file"
          ? shown.text
          : null,
      isHidden: field.hidden && stored !== null,
      download:
        field.control === "file" && stored !== null && form === "edit" ? fileAddress(page, key, field, request) : null,
      stored,
      told: told(page, field.column, stored),
      isNeeded: isNeeded(field, form, text === "" ? shown.text : text),
      problems: [],
      conflict: null,
    };
  });
}

/** The names of the controls on which a field's choices depend. */
const namesItDependsOn = (page: Page, { choices }: Field): readonly string[] =>
  (choices?.from === "table" ? (choices.where?.formColumns ?? []) : []).map(
    (name) => page.fields.find((each) => each.column.name === name)?.formName ?? name,
  );

/** Where a record's file is to be had. */
const fileAddress = (page: Page, key: readonly string[], { column }: Field, { frame }: Trip["request"]): string =>
  `${frame.base}${page.path.list}/${[fileSegment, ...key.map(encodeSegment)].join("/")}${queryText({ column: column.name })}`;

/** The fields on a record's form whose controls can be changed. */
export const takenFields = (page: Page, form: FormKind, row: Row, facts: Facts): readonly Field[] =>
  fieldsOn(page, form, row, facts).filter((field) => isTaken(field, form));

/** The digests of what these fields' controls show for a row. */
export function shownDigests(page: Page, fields: readonly Field[], row: Row, digest: FieldDigest): Claims["shown"] {
  const digests = byName<string>();
  for (const field of fields) {
    const { name } = field.column;
    digests[name] = digest(name, comparable(field, row[name] ?? null, page));
  }
  return digests;
}

/** What is made of a page and the names of the fields that were on a form, once for each. */
const takenDigests = memoizePerPage(() => new WeakMap<Signer, Map<string, string>>());

/**
 * A digest of how a page takes fields: control, type, tidying and, for a moment, the time zone. Two versions of a page that have
 * the same one for a form's fields read that form the same way; rules and checks are judged anew in any case.
 *
 * @param names the fields that the form shows
 */
export function takenDigest(page: Page, form: Claims["form"], names: readonly string[], signer: Signer): string {
  const key = `${form} ${names.join("\n")}`;
  const made = takenDigests(page).get(signer) ?? new Map<string, string>();
  takenDigests(page).set(signer, made);
  const known = made.get(key);
  if (known !== undefined) return known;
  const taken = names.map((name) => {
    const field = page.fields.find((each) => each.column.name === name);
    if (form === "delete" || !field || !isTaken(field, form)) return [name, null];
    const { control, column, tidy } = field;
    const zone = column.type.kind === "timestamptz" ? page.timeZone : null;
    const own = hasOwnWay(column.type.kind, page.language) ? [page.language] : [];
    return [name, control, column.type.shown, tidy, zone, ...own];
  });
  const digest = signer.digests("taken")(JSON.stringify(taken));
  made.set(key, digest);
  return digest;
}

/** `Station MV-014, Alder Bridge`. */
export const titleOf = (page: Page, row: Row, key: readonly string[]): string => renderFor(page, page.title, row, key);
