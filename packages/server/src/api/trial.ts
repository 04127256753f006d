import { performance } from "node:perf_hooks";
import { leavingNothing } from "@loyal-quill/authoring/rehearsal";
import {
  type Actor,
  type Database,
  type Dependencies,
  encodeSegment,
  factsOf,
  handle,
  mayOpen,
  type Page,
  type PageRequest,
  parseCondition,
  type RecordedRequest,
  recordAddress,
  renewToken,
  type Signer,
  tokenName,
} from "@loyal-quill/core";
import { callsOf, type FoundSteps } from "@loyal-quill/runtime";
import type { ListTrialAnswer, TrialAnswer } from "./answers/sheet.js";

export interface TrialOptions {
  readonly database: Database;
  readonly signer: Signer;
  readonly application: string;
  readonly styleSheets: readonly string[];
  /** What stands before the addresses of the served pages. */
  readonly mount: string;
  /** The developer's own steps, by the name of the page file. */
  readonly steps: ReadonlyMap<string, FoundSteps>;
}

/** A form's text as if it had been made of the page as it now is: the draft may have changed since it was opened. */
function renewed(form: string, page: Page, signer: Signer): string {
  const pairs = new URLSearchParams(form);
  const token = pairs.get(tokenName);
  if (token !== null) pairs.set(tokenName, renewToken(token, { version: page.version, session: "trial" }, signer));
  return pairs.toString();
}

const dependencies = ({ signer, steps }: TrialOptions, database: Database): Dependencies => ({
  database,
  signer,
  elapsed: () => performance.now(),
  // What a trial writes is rolled back, so nobody asks what became of it; its form is made anew for each try.
  pause: async () => {},
  formAge: Number.POSITIVE_INFINITY,
  // What is done after a save is left out, as the save is taken back.
  own: (page) => {
    const found = steps.get(page);
    return found ? callsOf(found.steps, found.source, { isTrial: true }) : null;
  },
});

interface Made extends Pick<PageRequest, "method" | "path"> {
  readonly actor: Actor;
  readonly body?: string | null;
  readonly query?: Readonly<Record<string, string>>;
}

/** A request as that person would make it. */
function requestOf(
  { styleSheets, application, mount }: TrialOptions,
  { method, path, actor, body = null, query = {} }: Made,
): PageRequest {
  return {
    id: crypto.randomUUID(),
    at: new Date(),
    method,
    path,
    query,
    body: body === null ? null : { text: body },
    actor,
    session: "trial",
    said: null,
    signIn: null,
    signInCarries: false,
    frame: {
      base: mount,
      styleSheets,
      script: null,
      application,
      home: "/",
      language: "en",
      person: { name: actor.name },
      signOut: null,
    },
  };
}

function storedRow(recorded: RecordedRequest): TrialAnswer["row"] {
  const load = recorded.steps.find((step) => step.step === "load");
  if (!load || load.stopped !== null) return null;
  return Object.fromEntries(load.values.map(({ name, value }) => [name, value]));
}

interface Tried {
  readonly key: readonly string[];
  readonly actor: Actor;
  /** What the form sends, as `application/x-www-form-urlencoded`; null opens the record. */
  readonly form: string | null;
}

/**
 * Opens or saves a record through the same steps as a request of that person would. It is not kept among the requests, and
 * what a save writes is rolled back.
 */
export async function trial(options: TrialOptions, page: Page, { key, actor, form }: Tried): Promise<TrialAnswer> {
  const body = form === null ? null : renewed(form, page, options.signer);
  const path = `${recordAddress(page.path, key)}/edit`;
  const operation = form === null ? "open" : "save";
  const matched = { kind: "page", page, operation, keySegments: key.map(encodeSegment) } as const;
  const request = requestOf(options, { method: form === null ? "GET" : "POST", path, actor, body });
  const run = (database: Database) => handle(matched, request, dependencies(options, database));
  const { response, recorded } = await leavingNothing(options.database, run);
  return {
    recorded,
    html: response.status === 303 ? null : response.body,
    leadsTo: response.headers.location ?? null,
    address: `${options.mount}${path}`,
    // A save asks for no more of the row than it needs; the Sheet shows all of it.
    row: storedRow(form === null ? recorded : (await trial(options, page, { key, actor, form: null })).recorded),
  };
}

/** A page on which everybody who may open it may make a new record. */
function makesNew(page: Page): Page {
  const always = parseCondition("true", page.table, null);
  return always.ok ? { ...page, access: { ...page.access, new: always.condition } } : page;
}

/** The form of a new record, for a table that has no record yet: there is nothing else to look at. */
export async function trialOfNew(options: TrialOptions, page: Page, actor: Actor): Promise<TrialAnswer> {
  const path = `${page.path.list}/new`;
  const matched = { kind: "page", page: makesNew(page), operation: "new", keySegments: [] } as const;
  const request = requestOf(options, { method: "GET", path, actor });
  const { response, recorded } = await handle(matched, request, dependencies(options, options.database));
  return {
    recorded,
    html: response.body,
    leadsTo: response.headers.location ?? null,
    address: `${options.mount}${path}`,
    row: null,
  };
}

/** A part of a page's list as that person would see it: nothing is written by it. */
export async function trialOfList(
  options: TrialOptions,
  page: Page,
  actor: Actor,
  query: Readonly<Record<string, string>>,
): Promise<ListTrialAnswer> {
  const matched = { kind: "page", page, operation: "list", keySegments: [] } as const;
  const request = requestOf(options, { method: "GET", path: page.path.list, actor, query });
  const { response, recorded } = await handle(matched, request, dependencies(options, options.database));
  return { recorded, html: response.body, address: `${options.mount}${page.path.list}` };
}

/** People, whoever asks before all others: a page is first tried through one's own eyes. */
export const oneselfFirst = (people: readonly Actor[], own: { readonly id: string | null } | null): readonly Actor[] =>
  own ? people.toSorted((a, b) => Number(b.id === own.id) - Number(a.id === own.id)) : people;

/** The person through whose eyes a page is tried: the one asked for, or the first who may open it. */
export function tryingAs(people: readonly Actor[], page: Page | null, id: string | undefined): Actor | null {
  const now = new Date();
  const may = (actor: Actor): boolean => page !== null && mayOpen(page, factsOf(actor, now)) === true;
  return people.find((actor) => actor.id === id) ?? people.find(may) ?? people[0] ?? null;
}
