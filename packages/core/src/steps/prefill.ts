import { type Facts, truthOf } from "../condition/evaluate.js";
import { keeping, normal, show } from "../controls/show.js";
import { tell } from "../controls/told.js";
import { type Language, type Word, word } from "../messages/messages.js";
import type { Control, Field, Page } from "../page/page.js";
import { perPage } from "../page/per-page.js";
import type { Row, Stored } from "../statements/statement.js";
import { dependsOnForm, type Offer, type Offers, type Option } from "./offer.js";
import type { Claims, FieldDigest, Signer } from "./token.js";

/** Something wrong with what was sent: at a field, or above the form where `field` is null. */
export interface Problem {
  readonly field: string | null;
  readonly message: string;
}

/** What the other person stored meanwhile, shown beside what was typed. */
export interface Conflict {
  readonly field: string;
  readonly stored: string;
  readonly by: string | null;
  readonly at: string | null;
}

/** One field as the form shows it. */
export interface FieldView {
  readonly field: Field;
  readonly control: Control;
  /** What the control holds: the stored value, or what was typed. `true` or `false` for a check box. */
  readonly text: string;
  readonly options: readonly Option[];
  /** How the options are chosen from: all of them, or what was found; null where there is nothing to choose. */
  readonly offer: Pick<Offer, "by" | "looked"> | null;
  /** Whether the options depend on what else is on the form. */
  readonly depends: boolean;
  readonly problems: readonly string[];
  readonly conflict: Conflict | null;
}

/** A form, ready to be written as HTML. */
export interface FormView {
  readonly page: Page;
  readonly form: "edit" | "new";
  /** Empty for a new record. */
  readonly key: readonly string[];
  readonly title: string;
  readonly fields: readonly FieldView[];
  readonly token: string;
  readonly problems: readonly Problem[];
  readonly conflicts: readonly Conflict[];
  /** Why the form can't be sent, where the record's state does not allow an edit. */
  readonly locked: string | null;
  /** Whether the record may be deleted by the person who looks at it. */
  readonly removable: boolean;
  readonly notice: string | null;
  /** Whether it can be said that nothing was saved; where a save's answer was lost, it can't. */
  readonly certain: boolean;
  /** What stands over the problems, where it is not their number. */
  readonly heading: Word | null;
}

/** The options with one more value among them, marked: what is stored but no longer on offer must stay selected. */
function withValue(
  options: readonly Option[],
  value: Stored,
  language: Language,
  mark: "no-longer-offered" | "not-offered",
): readonly Option[] {
  if (value === null || value === "" || options.some((option) => option.value === value)) return options;
  return [{ value, label: word(language, mark, { value }) }, ...options];
}

/** What a form is for: an existing record, or a new one. */
export type FormKind = FormView["form"];

/** Whether a form takes a field, or only shows it. */
export const isTaken = (field: Field, form: FormKind): boolean => (form === "new" ? field.onNew : !field.readOnly);

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
 * Fills the controls: from the stored row, or with what was typed where something was.
 *
 * @param typed the controls' texts of a submission, by column name; a field that is not among them shows what is stored
 */
export function prefillFields(
  page: Page,
  form: FormKind,
  row: Row,
  offers: Offers,
  facts: Facts,
  typed: ReadonlyMap<string, string> = new Map(),
): readonly FieldView[] {
  return fieldsOn(page, form, row, facts).map((field) => {
    const { name } = field.column;
    const offer = offers.get(name) ?? null;
    const stored = row[name] ?? null;
    const shown = show(field, stored, page.timeZone);
    const text = typed.get(name) ?? shown.text;
    return {
      field,
      control: keeping(shown.control, text),
      text,
      options:
        field.choices === null
          ? []
          : withValue(
              withValue(offer?.options ?? [], stored, page.language, "no-longer-offered"),
              text,
              page.language,
              "not-offered",
            ),
      offer: offer && { by: offer.by, looked: offer.looked },
      depends: dependsOnForm(field),
      problems: [],
      conflict: null,
    };
  });
}

/** The digests of what every editable control shows for a row. */
export const shownDigests = (
  page: Page,
  form: FormKind,
  row: Row,
  facts: Facts,
  digest: FieldDigest,
): Claims["shown"] =>
  Object.fromEntries(
    fieldsOn(page, form, row, facts)
      .filter((field) => isTaken(field, form))
      .map((field) => {
        const shown = show(field, row[field.column.name] ?? null, page.timeZone);
        return [field.column.name, digest(field.column.name, normal(shown.control, shown.text))];
      }),
  );

/** What is made of a page and the names of the fields that were on a form, once for each. */
const takenDigests = perPage(() => new Map<string, string>());

/**
 * A digest of how a page takes fields: control, type, tidying and, for a moment, the time zone. Two versions of a page that have
 * the same one for a form's fields read that form the same way; rules and checks are judged anew in any case.
 *
 * @param names the fields that the form shows
 */
export function takenDigest(page: Page, form: Claims["form"], names: readonly string[], signer: Signer): string {
  const key = `${form} ${names.join("\n")}`;
  const known = takenDigests(page).get(key);
  if (known !== undefined) return known;
  const taken = names.map((name) => {
    const field = page.fields.find((each) => each.column.name === name);
    if (form === "delete" || !field || !isTaken(field, form)) return [name, null];
    const { control, column, tidy } = field;
    return [name, control, column.type.shown, tidy, column.type.kind === "timestamptz" ? page.timeZone : null];
  });
  const digest = signer.digests("taken")(JSON.stringify(taken));
  takenDigests(page).set(key, digest);
  return digest;
}

/** `Station MV-014, Alder Bridge`. */
export const titleOf = (page: Page, row: Row, key: readonly string[]): string =>
  tell(page, page.title, {
    ...Object.fromEntries(page.key.map(({ name }, place) => [name, key[place] ?? null])),
    ...row,
  });
