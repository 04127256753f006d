import {
  type CountryCode,
  getExampleNumber,
  isSupportedCountry,
  parsePhoneNumberFromString,
} from "libphonenumber-js/max";
import examples from "libphonenumber-js/mobile/examples";
import * as v from "valibot";
import { quoted } from "../postgres/statement.js";
import { type RuleKind, takeOffRule } from "./rule.js";

interface Telephone {
  /** Where a number without a country code is at home; null where every number needs one. */
  readonly country: CountryCode | null;
  readonly stored: "as-typed" | "e164";
}

type Setting = true | { readonly country?: string | undefined; readonly stored?: Telephone["stored"] | undefined };

const stored = ["as-typed", "e164"] as const;

const schema: v.GenericSchema<Setting> = v.union([
  v.literal(true),
  v.strictObject({
    country: v.optional(
      v.pipe(
        v.string(),
        v.regex(/^[A-Z]{2}$/, "must be a country's two letters (ISO 3166-1), like GB"),
        v.check(isSupportedCountry, "must be a country's two letters (ISO 3166-1), like GB"),
      ),
    ),
    stored: v.optional(v.picklist(stored)),
  }),
]);

/** The whole text as a valid number; undefined where it is none. E.164 has no place for an extension. */
function numberIn(text: string, { country, stored }: Telephone) {
  const number = parsePhoneNumberFromString(text, { ...(country ? { defaultCountry: country } : {}), extract: false });
  return number?.isValid() && (stored === "as-typed" || !number.ext) ? number : undefined;
}

/** A number as somebody would type it. */
function exampleFor(country: CountryCode | null): string {
  const example = getExampleNumber(country ?? "GB", examples);
  return (country ? example?.formatNational() : example?.formatInternational()) ?? "+44 7400 123456";
}

/** A telephone number that can be dialled, by the numbering plans that libphonenumber knows. */
export const telephone: RuleKind<Telephone, Setting> = {
  name: "telephone",
  label: "Telephone number",
  inFile: {
    schema,
    byName: true,
    first: true,
    parts: [
      { name: "country", label: "Country", as: "text" },
      {
        name: "stored",
        label: "How it is stored",
        as: "options",
        options: [
          { value: "as-typed", label: "as typed" },
          { value: "e164", label: "as E.164" },
        ],
      },
    ],
    fits: ["text"],
    takes: "`true`, or `{ country: GB, stored: e164 }`",
    means:
      "A valid telephone number. Without `country` (ISO 3166-1, two letters) it needs a country code, like +44. `stored` is `as-typed`, or `e164` for the form +441632960018 (ITU-T E.164), which takes no extension; where the rule has `when`, the text stays as typed.",
  },
  demandOf: (setting) => {
    const { country = null, stored = "as-typed" } = setting === true ? {} : setting;
    return { country: country as CountryCode | null, stored };
  },
  words: ({ country, stored }) =>
    `a telephone number${country ? `, of ${country} where it has no country code` : " with its country code"}${stored === "e164" ? ", stored as E.164" : ""}`,
  broken: (demand, { value }) =>
    numberIn(value ?? "", demand) ? null : ["telephone", { example: exampleFor(demand.country) }],
  tidied: (demand, text) => (demand.stored === "e164" ? (numberIn(text, demand)?.number ?? text) : text),
  attributes: () => ({ type: "tel" }),
  review: (_, { column, path, say }) => {
    if (column.type.kind !== "text")
      say("error", "contradiction", `A ${column.type.shown} can't be a telephone number.`, path, {
        repair: takeOffRule(path),
      });
  },
  enforcement: ({ stored }, column) =>
    stored === "e164"
      ? { by: "check", name: "telephone", check: `${quoted(column.name)} ~ '^\\+[1-9][0-9]{1,14}$'` }
      : null,
};
