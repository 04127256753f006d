import { randomBytes, randomUUID } from "node:crypto";
import { readFile } from "node:fs/promises";
import path from "node:path";
import { performance } from "node:perf_hooks";
import { type CasesFile, ownCases, readCases, readPeople, rehearse } from "@loyal-quill/authoring/rehearsal";
import { type Actor, type Database, handle, isError, readCatalog, route } from "@loyal-quill/core";
import { type BoundPageFile, bindNamedFiles, bindPageFiles, signerOf } from "@loyal-quill/runtime";
import { CannotStart } from "../listen.js";
import { withDatabase } from "../open-database.js";
import { type RehearsalFormat, type RehearsedFile, rehearsalReports } from "../report/rehearsal.js";
import { nameOf, ownKindsBeside, pageFilesIn } from "./check.js";

interface RehearseOptions {
  readonly database: string;
  /** Page files, and directories of page files. */
  readonly files: readonly string[];
  readonly format: RehearsalFormat;
  /** Only what is quickly done. */
  readonly quick: boolean;
  /** Whether what a page has nothing for is listed too. */
  readonly all: boolean;
  /** A file with the people to rehearse as; left out, they are made as the pages' conditions speak of them. */
  readonly people?: string;
  /** A directory with the page files as they were. */
  readonly against?: string;
}

async function peopleIn(file: string | undefined): Promise<readonly Actor[]> {
  if (file === undefined) return [];
  const read = readPeople(await textOf(file));
  if ("file" in read) return read.file;
  const [{ line, message } = { line: 1, message: "" }] = read.problems;
  throw new CannotStart(
    `${file}, line ${line}: ${message} It is a list of people with id, name, roles and attributes.`,
  );
}

async function textOf(file: string): Promise<string> {
  try {
    return await readFile(file, "utf8");
  } catch {
    throw new CannotStart(`${file} can't be read.`);
  }
}

/** The cases that stand beside a page file, if there are any: `station.cases.yaml`. */
async function casesBeside(file: string): Promise<CasesFile | null> {
  const beside = file.replace(/\.page\.yaml$/, ".cases.yaml");
  const text = await readFile(beside, "utf8").catch((error: NodeJS.ErrnoException) => {
    if (error.code === "ENOENT") return null;
    throw new CannotStart(`${beside} can't be read.`);
  });
  if (text === null) return null;
  const read = readCases(text);
  if ("file" in read) return read.file;
  const [problem] = read.problems;
  throw new CannotStart(`${beside}:${problem?.line ?? 1}: ${problem?.message ?? "can't be read"}`);
}

async function formerPages(
  directory: string | undefined,
  database: Database,
): Promise<ReadonlyMap<string, BoundPageFile>> {
  if (directory === undefined) return new Map();
  const files = await pageFilesIn([directory]);
  const named = await Promise.all(files.map(async (file) => ({ name: nameOf(file), text: await textOf(file) })));
  return new Map(bindPageFiles(named, await readCatalog(database), true).map((each) => [each.name, each]));
}

/** Rehearses page files, one after the other. */
export async function rehearseFiles(
  options: Omit<RehearseOptions, "format" | "all">,
): Promise<readonly RehearsedFile[]> {
  const paths = await pageFilesIn(options.files);
  await ownKindsBeside(paths);
  const people = await peopleIn(options.people);
  // Pages show of one another: those that lie beside are served with them.
  const around = await pageFilesIn([...new Set(paths.map((file) => path.dirname(file)))]);
  const named = await Promise.all(around.map(async (file) => ({ name: nameOf(file), text: await textOf(file) })));
  return withDatabase(options.database, async (database) => {
    const site = bindNamedFiles(named, await readCatalog(database));
    const former = await formerPages(options.against, database);
    const signer = signerOf(randomBytes(32));
    const rehearsed: RehearsedFile[] = [];
    for (const file of paths) {
      const name = nameOf(file);
      const bound = site.files.find((each) => each.name === name);
      const page = site.pages.find((each) => each.name === name);
      if (!page) {
        const error = bound?.findings.find(isError);
        rehearsed.push({
          file,
          rehearsal: null,
          because: error ? `line ${error.line}: ${error.message}` : "the page has errors",
        });
        continue;
      }
      const own = await casesBeside(file);
      const rehearsal = await rehearse({
        page,
        site,
        people,
        database,
        signer,
        quick: options.quick,
        published: former.get(name)?.page ?? null,
        now: () => new Date(),
        newId: randomUUID,
        elapsed: () => performance.now(),
        engine: { route, handle },
        ...(own ? { own: ownCases(own, people) } : {}),
      });
      rehearsed.push({ file, rehearsal, because: null });
    }
    return rehearsed;
  });
}

/** `quill rehearse`. @returns the exit code: 1 where a case came out otherwise, or a page could not be rehearsed */
export async function rehearseCommand(options: RehearseOptions, write: (text: string) => void): Promise<number> {
  const files = await rehearseFiles(options);
  write(rehearsalReports[options.format](files, options.all));
  return files.some(
    ({ rehearsal }) => rehearsal === null || rehearsal.counts.otherwise > 0 || rehearsal.changed.length > 0,
  )
    ? 1
    : 0;
}
