/** How bad a finding is: with an error a page is not served, a warning is for whoever makes it. */
export type Severity = "error" | "warning";

interface FindingKind {
  readonly levels: readonly Severity[];
  /** What it means. */
  readonly means: string;
  /** What to do. */
  readonly remedy: string;
}

/**
 * The catalogue of findings: everything that can be said of a page file, by code. `docs/findings.md` is made from it (`npm run
 * schema`), and so are the rules of SARIF reports. The message of a finding says the same of the case at hand.
 */
export const findingKinds = {
  "too-long": {
    levels: ["error"],
    means: "The file is longer than 256 KiB.",
    remedy: "Split the page, or shorten its texts.",
  },
  "too-much": {
    levels: ["error"],
    means: "The page takes more time or memory to judge than it may, and was given up.",
    remedy: "Make it smaller: fewer or shorter fields, patterns, lists and conditions.",
  },
  "unreadable-file": {
    levels: ["error"],
    means: "The page file is there and can't be read.",
    remedy: "Give the server's user the right to read it.",
  },
  further: {
    levels: ["error", "warning"],
    means: "There are more findings than are listed.",
    remedy: "Fix those that are listed, and check again.",
  },
  sensitive: {
    levels: ["error"],
    means:
      "A column whose values are told to nobody is used where it would tell them: in a search, a filter or an address.",
    remedy: "Take it out there, or write sensitive: false at its field.",
  },
  "secret-shown": {
    levels: ["warning"],
    means: "The records of another table are told apart by a column that looks like a secret.",
    remedy: "Show another column, or rename this one where it is no secret.",
  },
  "lock-version": {
    levels: ["warning"],
    means:
      "The table has a version number for optimistic locking, by which another application notices changes, and the page doesn't increment it.",
    remedy:
      "Increment it with each save: `set: { lock_version: { to: form.lock_version + 1, on: save } }`. A table with a trigger before updates is taken to do so itself.",
  },
  "log-table": {
    levels: ["error"],
    means: "The page is made over the change log itself.",
    remedy: "Take another table. Changes are read in the workbench.",
  },
  "open-to-everybody": {
    levels: ["warning"],
    means: "The page does not say who may open it, so that everybody may who is signed in.",
    remedy: 'Give it access.open, or write open: "true" where that is meant.',
  },
  "not-yaml": {
    levels: ["error"],
    means: "The text is not valid YAML, or its aliases stand for more than a page file may hold.",
    remedy: "Correct the YAML at the place that is told.",
  },
  "unknown-name": {
    levels: ["error"],
    means: "A setting has a name that a page file does not know at this place.",
    remedy: "Correct the spelling; the nearest known name is told.",
  },
  "unknown-value": {
    levels: ["error"],
    means: "A setting has a value that is not among those possible.",
    remedy: "Take one of the values that are told.",
  },
  missing: { levels: ["error"], means: "A setting that every page needs is missing.", remedy: "Add it." },
  "wrong-value": {
    levels: ["error"],
    means: "A setting has a value of the wrong form, for instance a text where a number belongs.",
    remedy: "Write it as the message says.",
  },
  "unknown-table": {
    levels: ["error"],
    means: "There is no table of that name that the connection may read.",
    remedy: "Correct the name (schema.table), or grant USAGE on the schema and SELECT on the table.",
  },
  "unknown-column": {
    levels: ["error"],
    means: "The table has no column of that name.",
    remedy: "Correct the name, or remove the field where the column is gone.",
  },
  "unknown-field": {
    levels: ["error"],
    means: "A check shows its message at a field that the page does not have.",
    remedy: "Name a field of the page, or leave the place out.",
  },
  "unknown-constraint": {
    levels: ["warning"],
    means: "The page has a message for a constraint that the table does not have.",
    remedy:
      "Write the constraint's name as the table has it, or take the message out; leave it where a trigger raises an error with that name.",
  },
  "unknown-routine": {
    levels: ["error"],
    means: "There is no function or procedure of that name that the connection may call.",
    remedy: "Correct the name, or grant EXECUTE.",
  },
  "several-routines": {
    levels: ["error"],
    means: "Several routines have that name.",
    remedy: "Give the one that saves a name of its own.",
  },
  parameter: {
    levels: ["error"],
    means: "A parameter of the routine can't be filled, or its source can't be read.",
    remedy: "Say under parameters where it comes from: form.COLUMN, row.COLUMN or actor.ATTRIBUTE.",
  },
  "key-not-unique": {
    levels: ["error"],
    means: "The key may name more than one row.",
    remedy: "Take one of the safe keys that are told, or give the table a primary key.",
  },
  path: {
    levels: ["error"],
    means: "The address is not made of fixed segments and the key's columns.",
    remedy: "Write it like /stations/{code}.",
  },
  "address-taken": {
    levels: ["error"],
    means: "Another page has this address.",
    remedy: "Give one of the two another address.",
  },
  "address-below": {
    levels: ["warning"],
    means: "The address lies below another page's, and hides records of that page whose keys are the words in it.",
    remedy: "Give one of the two another address, or leave it where no key is called so.",
  },
  "not-counted": {
    levels: ["warning"],
    means: "The stored rows could not be looked at: it took too long, or PostgreSQL refused. Nothing is known of them.",
    remedy: "Run the census in the workbench.",
  },
  "time-zone": {
    levels: ["error"],
    means: "The time zone is not a name of the IANA database.",
    remedy: "Take a name like Europe/London.",
  },
  "field-twice": { levels: ["error"], means: "A field stands on the page twice.", remedy: "Remove one of the two." },
  control: {
    levels: ["error"],
    means: "The control can't show the column's type.",
    remedy: "Take one of the controls that are told, or leave the setting out.",
  },
  "control-can-not-show": {
    levels: ["warning"],
    means: "Some stored values can't be shown in the control; a text control takes its place for those.",
    remedy: "Take a plainer control, or leave it as it is.",
  },
  "no-choices": {
    levels: ["error"],
    means: "A field has settings for choices, and its column refers to no other table.",
    remedy: "Give the column a foreign key, or use the rule one-of.",
  },
  condition: {
    levels: ["error"],
    means: "A condition can't be read, compares what can't be compared, or asks for what is not known at this place.",
    remedy: "Correct it at the place that is told.",
  },
  rule: { levels: ["error"], means: "A rule names no demand, or several.", remedy: "Write one demand for each rule." },
  pattern: {
    levels: ["error"],
    means: "A pattern is not one that RE2 reads.",
    remedy: "Write it without look-around and back references.",
  },
  contradiction: {
    levels: ["error"],
    means: "No value can meet this rule and another one at once.",
    remedy: "Remove one of the two, or change its bound.",
  },
  "looser-than-table": {
    levels: ["warning"],
    means: "The table is stricter than the rule, so the rule says nothing.",
    remedy: "Remove the rule, or make it stricter.",
  },
  "table-refuses": {
    levels: ["error"],
    means: "The rule allows values that the table does not take.",
    remedy: "Leave those values out.",
  },
  "required-without-field": {
    levels: ["error"],
    means: "A new record needs a column that has neither a default nor a field.",
    remedy: "Add the field, or give the column a default.",
  },
  "not-granted": {
    levels: ["error", "warning"],
    means: "The connection lacks a right that the page needs.",
    remedy: "Grant it, or leave out what needs it.",
  },
  set: {
    levels: ["error"],
    means: "A column can't be given by the page itself.",
    remedy: "Take it out of set, or do what the message says.",
  },
  "list-edit": {
    levels: ["error"],
    means: "A field can't be edited in the rows of the list.",
    remedy: "Leave it out of list.edit: the record's own form has it.",
  },
  "form-name": {
    levels: ["error"],
    means: "A name in the form is taken already.",
    remedy: "Choose another in names.",
  },
  related: {
    levels: ["warning"],
    means: "A related page is not there, or its records don't refer to those of the page.",
    remedy: "Name a page by its file's name, and the column in by where there are several.",
  },
  "no-filter": {
    levels: ["error"],
    means: "A list can't be filtered by a column.",
    remedy: "Take it out of list.filter; name it in list.search instead.",
  },
  "slow-list": {
    levels: ["warning"],
    means: "No index serves the order, a filter or the search of a large table's list.",
    remedy: "Make the index that the message gives, or sort, filter and search by columns that have one.",
  },
  "rewrite-rule": {
    levels: ["warning"],
    means: "A rule of the table rewrites the page's statements, which PostgreSQL then refuses.",
    remedy: "Make a trigger of the rule, or save through a routine.",
  },
} as const satisfies Readonly<Record<string, FindingKind>>;

export type FindingCode = keyof typeof findingKinds;

/** The catalogue as a page of the documentation, in Markdown. */
export function findingsPage(): string {
  const rows = Object.entries(findingKinds)
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([code, { levels, means, remedy }]) => `| \`${code}\` | ${levels.join(", ")} | ${means} | ${remedy} |`);
  return `# Findings

What the review can say of a page file, in the workbench, by \`quill check\` and on the console of \`quill serve\`. A page with an error is not served. Made from
\`packages/core/src/findings/finding-codes.ts\` by \`npm run schema\`.

| code | level | what it means | what to do |
|---|---|---|---|
${rows.join("\n")}
`;
}
