import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";
import type { Editing } from "../sheet/editing/settings.js";

export type Names = Editing["names"];

const sources = ["row", "form", "actor", "now"] as const;
type Source = (typeof sources)[number];

/** What a condition may ask for, by where it stands. */
const sourcesOf: Readonly<Record<string, readonly Source[]>> = {
  open: ["actor", "now"],
  row: ["row", "actor", "now"],
  form: ["form", "row", "actor", "now"],
  choices: ["row", "form", "actor", "now"],
};

const what: Readonly<Record<Source, string>> = {
  row: "the stored record",
  form: "the values as submitted",
  actor: "the person who is signed in",
  now: "the current time",
};

/** `row.name`, or `row["two words"]` where a name is no identifier. */
const written = (of: string, name: string): string =>
  /^[A-Za-z_]\w*$/.test(name) ? `${of}.${name}` : `${of}[${JSON.stringify(name)}]`;

/** Completes the names that a condition can use: a name that the table knows need not be typed. */
export const completeNames =
  (names: () => Names, place: string) =>
  (context: CompletionContext): CompletionResult | null => {
    const word = context.matchBefore(/[A-Za-z_][\w.]*/);
    if (!word && !context.explicit) return null;
    const allowed = sourcesOf[place] ?? sources;
    const typed = word?.text ?? "";
    const options: Completion[] = [
      ...allowed.map((of) => ({ label: of, detail: what[of], type: "namespace", boost: -1 })),
      ...names()
        .filter(({ of }) => allowed.includes(of))
        .map(({ of, name, type }) => ({ label: written(of, name), detail: type, type: "property" })),
      // A name alone stands for its column, too: typing "alert" is enough to find form.alert_m.
      ...["true", "false", "null"].map((label) => ({ label, type: "keyword", boost: -2 })),
    ];
    const dot = typed.lastIndexOf(".");
    const known = dot < 0 || sources.includes(typed.slice(0, dot) as Source);
    return known ? { from: word?.from ?? context.pos, options, validFor: /^[\w.]*$/ } : null;
  };
