import type { Page } from "@loyal-quill/core/page/page";
import { actorFile } from "./actor-file.js";
import { answersFile } from "./answers-file.js";
import { formFile } from "./form-file.js";
import { laidOut } from "./format.js";
import { NotPlain } from "./logic.js";
import { fileFields, searchedFields, takenBy } from "./parts.js";
import { routesFile } from "./routes-file.js";
import { databaseFile, filesFile, formHtmlFile, htmlFile, styleFile, tokenFile } from "./shared-files.js";
import { sqlFile } from "./sql-file.js";
import { testFile } from "./test-file.js";
import { viewFile } from "./view-file.js";

/** A file of plain code. */
export interface CodeFile {
  /** Where it goes, below the directory of all exported pages. */
  readonly path: string;
  readonly text: string;
}

export interface ExportedPage {
  readonly files: readonly CodeFile[];
  /** What the served page has and the exported one has not, each as a sentence. */
  readonly left: readonly string[];
  /** Why the page can't be exported; then there are no files. */
  readonly because: string | null;
  /** The packages that the code imports, besides Node's own, and those with their types. */
  readonly packages: readonly string[];
  readonly types: readonly string[];
}

/** Packages whose types come by another one. */
const typedElsewhere: readonly string[] = ["big.js", "busboy", "express", "pg"];

/** What is said of a page's part that has no plain code, each with a test for whether the page has it. */
const parts: readonly (readonly [has: (page: Page) => boolean, sentence: string])[] = [
  [
    () => true,
    "The list with its search, filters, downloads and upload stays behind: the page is reached at a record’s address.",
  ],
  [(page) => page.access.new !== null, "New records are not made by the exported page."],
  [(page) => page.access.delete !== null, "Records are not deleted by the exported page."],
  [(page) => page.access.history !== null, "The page of a record's changes is not exported; the log has them all."],
  [(page) => page.answer.saved === "view", "A save leads back to the form, since the record has no other page."],
  [(page) => page.answer.saved === "next", "A save leads to the list, since the code knows no next record."],
  [
    (page) => testFile(page) === null,
    "Tests are not written, since no field of the form could be changed and put back by them.",
  ],
  [(page) => page.related.length > 0, "The lists of related records are not exported."],
  [
    (page) => page.fields.some(({ formName, column }) => formName !== column.name),
    "The controls are named after their columns.",
  ],
  [
    (page) => searchedFields(page).length > 0,
    "Choices that are found by searching are found by a button; there is no script that finds them while somebody types.",
  ],
  [
    () => true,
    "The workbench, recorded requests and the rehearsal know nothing of the exported page, and there is no JSON at its address.",
  ],
];

/** Why a page can't be exported at all. */
function obstacle(page: Page): string | null {
  if (page.stopped.includes("edit")) return "its records can't be saved as the page is";
  const field = takenBy(page).find(({ hidden, column }) => hidden || column.sensitive);
  if (field) return `${field.column.name} is sensitive`;
  const named = [page.table.schema, page.table.name, ...page.table.columns.map(({ name }) => name)];
  const strange = named.find((name) => /\$\{|[\n\r\0]/.test(name));
  if (strange !== undefined) return `${JSON.stringify(strange)} of its table can't stand in code`;
  const dotted = takenBy(page).find(({ column }) => column.name.includes("."));
  if (dotted) return `its column ${dotted.column.name} has a dot in its name, as controls of the form's own have`;
  const bracketed = takenBy(page).find(({ column }) => /[[\]]/.test(column.name));
  if (bracketed)
    return `its column ${bracketed.column.name} has a bracket in its name, which parsers of forms take for a list`;
  const taken = fileFields(page).find(({ column }) => ["edit", "history", "new"].includes(column.name));
  if (taken) return `its file ${taken.column.name} is called like an address of the record's own`;
  const member = page.table.columns.find(({ name }) => name in Object.prototype);
  if (member) return `its column ${member.name} is called like a member that every object of JavaScript has`;
  return takenBy(page).length === 0 ? "its form takes no field" : null;
}

/** Paths and imports of the shared files that speak: those of pages in two languages stand beside each other. */
const ofLanguage = (text: string, language: Page["language"]): string =>
  language === "en"
    ? text
    : text.replaceAll(/(shared\/|"\.\/)(answers|files|form-html|html)(\.[jt]s)/g, `$1$2.${language}$3`);

/** The packages that files import. */
const packagesIn = (files: readonly CodeFile[]): readonly string[] =>
  [
    ...new Set(files.flatMap(({ text }) => [...text.matchAll(/from "([^".][^":]*)"/g)].map((match) => match[1] ?? ""))),
  ].sort();

/**
 * A page as plain code for Express and `pg`: TypeScript that needs nothing of ours.
 */
export async function exportPage(page: Page): Promise<ExportedPage> {
  const refused = (because: string): ExportedPage => ({ files: [], left: [], because, packages: [], types: [] });
  const because = obstacle(page);
  if (because !== null) return refused(because);
  try {
    const tests = testFile(page);
    const texts: readonly (readonly [string, string])[] = [
      [`${page.name}/routes.ts`, routesFile(page)],
      [`${page.name}/form.ts`, formFile(page)],
      [`${page.name}/sql.ts`, sqlFile(page)],
      [`${page.name}/view.ts`, viewFile(page)],
      [`${page.name}/actor.ts`, actorFile(page)],
      ...(tests === null ? [] : [[`${page.name}/routes.test.ts`, tests] as const]),
      ["shared/answers.ts", answersFile(page.language)],
      ["shared/database.ts", databaseFile],
      ["shared/html.ts", htmlFile(page.language)],
      ["shared/form-html.ts", formHtmlFile(page.language)],
      ["shared/form-token.ts", tokenFile],
      ["shared/style.ts", styleFile],
      ...(fileFields(page).length > 0 ? [["shared/files.ts", filesFile(page.language)] as const] : []),
    ];
    const files = await Promise.all(
      texts.map(async ([path, text]) => ({
        path: ofLanguage(path, page.language),
        text: await laidOut(ofLanguage(text, page.language)),
      })),
    );
    const packages = packagesIn(files);
    return {
      files,
      left: parts.flatMap(([has, sentence]) => (has(page) ? [sentence] : [])),
      because: null,
      packages,
      types: [
        "@types/node",
        ...packages.filter((name) => typedElsewhere.includes(name)).map((name) => `@types/${name}`),
      ],
    };
  } catch (error) {
    if (error instanceof NotPlain) return refused(`it has ${error.message}`);
    throw error;
  }
}
