import { readdir, stat } from "node:fs/promises";
import path from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";
import { ownStepNames, saidBy } from "@loyal-quill/core";
import { syntaxErrorIn } from "./errors.js";
import type { AnySteps } from "./steps.js";

/** A page's own steps with the name of the file in which they stand. */
export interface FoundSteps {
  readonly source: string;
  readonly steps: AnySteps;
}

/** Imports a module by its `file:` address; by `import()` where nobody says otherwise. */
export type ImportModule = (address: string) => Promise<unknown>;

/** What a module of steps is called, beside `NAME.page.yaml`. Compiled JavaScript goes before the TypeScript that it was made of. */
const endings = [".page.js", ".page.mjs", ".page.ts", ".page.mts"] as const;

/** Whether a file in the directory of the page files holds code. */
const isCode = (name: string): boolean => endings.some((ending) => name.endsWith(ending));

const importPlainly: ImportModule = (address) => import(address);

/** Code that can't be used: the developer's to mend. */
export class OwnCodeError extends Error {
  override readonly name = "OwnCodeError";
}

const knownNames: ReadonlySet<string> = new Set([...ownStepNames, "outbox", "limit"]);

/** Says what is wrong with a value that should be steps. */
function judged(source: string, given: unknown): AnySteps {
  if (typeof given !== "object" || given === null)
    throw new OwnCodeError(`${source} exports no steps: export default defineSteps({ … }).`);
  for (const [name, value] of Object.entries(given)) {
    if (!knownNames.has(name))
      throw new OwnCodeError(
        `${source} has a step "${name}", which there is not. There are: ${ownStepNames.join(", ")}.`,
      );
    if (ownStepNames.some((each) => each === name) && typeof value !== "function")
      throw new OwnCodeError(`${name} in ${source} must be a function.`);
  }
  const steps = given as AnySteps;
  if (steps.outbox && !steps.afterSave)
    throw new OwnCodeError(`${source} asks for the outbox and has no afterSave that would be kept in it.`);
  if (steps.limit !== undefined && !(steps.limit > 0))
    throw new OwnCodeError(`limit in ${source} is a number of milliseconds, more than 0.`);
  return steps;
}

/**
 * What a module exports by default.
 *
 * @param name what it is called, for messages
 * @throws OwnCodeError where it can't be loaded
 */
export async function importAt(name: string, address: string, importModule = importPlainly): Promise<unknown> {
  try {
    const found = (await importModule(address)) as { default?: unknown };
    // A module that was compiled to CommonJS has its default export inside of another one.
    const given = found.default as { default?: unknown } | undefined;
    return given && typeof given === "object" && "default" in given ? given.default : given;
  } catch (error) {
    const at = error instanceof SyntaxError ? await syntaxErrorIn(fileURLToPath(address.replace(/\?.*$/, ""))) : null;
    const isTypeScript = (Object(error) as NodeJS.ErrnoException).code === "ERR_UNKNOWN_FILE_EXTENSION";
    throw new OwnCodeError(
      isTypeScript
        ? `${name} is TypeScript, which this process does not read. Compile it to ${name.replace(/\.m?ts$/, ".js")}, start Node with --import tsx, use Node 22.18 or newer, or hand its content in as an option of createPages.`
        : `${name} can't be loaded: ${saidBy(error)}${at === null ? "" : `, in ${at}`}`,
      { cause: error },
    );
  }
}

async function importFrom(directory: string, name: string, importModule: ImportModule): Promise<AnySteps> {
  const file = path.resolve(directory, name);
  const { mtimeMs } = await stat(file);
  // A changed file is another module: its address says when it was changed.
  return judged(name, await importAt(name, `${pathToFileURL(file)}?changed=${mtimeMs}`, importModule));
}

/**
 * The steps that stand beside the page files of a directory, by the name of the page file.
 *
 * @throws OwnCodeError where one can't be used
 */
export async function loadOwnSteps(
  directory: string,
  importModule: ImportModule = importPlainly,
): Promise<ReadonlyMap<string, FoundSteps>> {
  const names = (await readdir(directory)).filter(isCode);
  const byPage = new Map<string, string>();
  for (const ending of [...endings].reverse())
    for (const name of names) if (name.endsWith(ending)) byPage.set(name.slice(0, -ending.length), name);
  return new Map(
    await Promise.all(
      [...byPage].map(
        async ([page, source]) => [page, { source, steps: await importFrom(directory, source, importModule) }] as const,
      ),
    ),
  );
}

/** Steps that were handed in, by the name of the page file. */
export const givenSteps = (given: Readonly<Record<string, AnySteps>>): ReadonlyMap<string, FoundSteps> =>
  new Map(
    Object.entries(given).map(([page, steps]) => {
      const source = `the steps of ${page}`;
      return [page, { source, steps: judged(source, steps) }];
    }),
  );
