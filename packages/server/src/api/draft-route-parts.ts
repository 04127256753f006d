import { mostOfPageFile, pageFileTooLong, recordOf } from "@loyal-quill/core";
import type { Request, Response } from "express";
import * as v from "valibot";
import { nameForm } from "../drafts/desk.js";
import { DeskRefusal } from "../drafts/desk-refusal.js";
import { mostReplayed } from "../drafts/rehearsals.js";
import type { EditedDatabase } from "../edited-database.js";
import type { Account } from "../store/entities.js";
import { type Doer, doerOf, type Look, type TrailAction } from "../trail.js";
import { type GuardedRoutes, mayLookAt, mayTry } from "./access.js";
import type { DraftAnswer } from "./answers/sheet.js";
import { problem } from "./problem.js";
import { plain } from "./shapes.js";

export const text = v.pipe(plain, v.maxLength(mostOfPageFile, pageFileTooLong));

const revision = v.pipe(v.number(), v.integer(), v.minValue(1));

export const bodies = {
  begin: v.union([v.strictObject({ table: plain }), v.strictObject({ name: plain, text })]),
  change: v.strictObject({ was: text, text }),
  publish: v.strictObject({ revision, everybody: v.optional(v.boolean()) }),
  census: v.strictObject({ text }),
  rehearsal: v.strictObject({ text, quick: v.optional(v.boolean()) }),
  replay: v.union([
    v.strictObject({
      text,
      ids: v.pipe(v.array(v.pipe(v.string(), v.uuid())), v.minLength(1), v.maxLength(mostReplayed)),
      rowsThen: v.optional(v.boolean()),
    }),
    v.strictObject({ text, query: recordOf(plain, plain), rowsThen: v.optional(v.boolean()) }),
  ]),
  condition: v.strictObject({
    text,
    source: v.pipe(plain, v.maxLength(2000)),
    place: v.picklist(["open", "row", "form", "choices"]),
    field: v.optional(plain),
    key: v.optional(v.array(plain)),
    as: v.optional(plain),
  }),
  list: v.strictObject({
    text,
    as: v.optional(plain),
    query: v.optional(recordOf(plain, v.pipe(plain, v.maxLength(4000)))),
  }),
  trial: v.strictObject({
    text,
    key: v.optional(v.array(plain)),
    as: v.optional(plain),
    form: v.optional(v.pipe(v.string(), v.maxLength(1_048_576))),
    /** Whether the form of a new record is wanted where there is no key. */
    fresh: v.optional(v.boolean()),
  }),
};

/** What somebody looks at. */
interface Looked {
  readonly action: TrailAction;
  readonly subject: string | Promise<string>;
}

export interface DraftRouteOptions extends EditedDatabase {
  readonly account: (request: Request) => Promise<Account | null>;
  readonly look: Look;
}

export async function draftAnswer({ desk, threads }: EditedDatabase, name: string): Promise<DraftAnswer> {
  const { text: current, draft, published } = await desk.text(name);
  const isFileChanged = draft !== null && draft.base !== published;
  const pairs: (readonly [string, string])[] = [
    ...(draft ? [[published ?? "{}", current] as const] : []),
    ...(isFileChanged && published !== null ? [[draft.base ?? "{}", published] as const] : []),
  ];
  const [differs = [], onDisk] = pairs.length === 0 ? [] : await threads.run("differences", { pairs });
  return {
    name,
    text: current,
    published,
    revision: draft?.revision ?? 0,
    by: draft?.byName ?? null,
    at: draft?.at.toISOString() ?? null,
    differs,
    drift: (await desk.drift()).get(name) ?? [],
    fileChanged: isFileChanged ? (onDisk ?? ["it was deleted: nothing is served under this name"]) : null,
  };
}

/** A page as it is tried: on which record, through whose eyes. */
export function tried(
  store: EditedDatabase["store"],
  name: string,
  { key, as }: { key?: string[] | undefined; as?: string | undefined },
): Looked {
  const person = async (): Promise<string> =>
    as === undefined ? "" : ` as ${(await store.accounts.people()).find(({ id }) => id === as)?.name ?? as}`;
  const record = key === undefined ? "" : ` ${key.join(" / ")}`;
  return { action: "draft.tried", subject: person().then((who) => `${name}${record}${who}`) };
}

/** Runs a route whose body is of a shape; what the desk refuses is answered as a problem, and what is looked at is noted. */
export const takingIn =
  (options: DraftRouteOptions) =>
  <Schema extends v.GenericSchema>(
    schema: Schema,
    run: (
      body: v.InferOutput<Schema>,
      name: string,
      by: Doer,
      response: Response,
      account: Account | null,
    ) => Promise<unknown>,
    looks?: (body: v.InferOutput<Schema>, name: string) => Looked,
  ) =>
  async (request: Request, response: Response): Promise<void> => {
    const body = v.safeParse(schema, request.body ?? {});
    if (!body.success) {
      const [issue] = body.issues;
      const at = (issue.path ?? []).map((part) => String(part.key)).join(".");
      // What is a sentence needs no name before it.
      const said = issue.message.endsWith(".") ? issue.message : `${at === "" ? "The body" : at}: ${issue.message}`;
      return problem(response, 400, "Not understood", said);
    }
    const name = request.params.name === undefined ? "" : String(request.params.name);
    if (name !== "" && !nameForm.test(name))
      return problem(response, 404, "No such page", "A page's name has letters, digits, - and _.");
    const account = await options.account(request);
    const given: unknown = body.output;
    try {
      if (v.is(v.object({ table: plain }), given)) mayLookAt(options, account, given.table);
      if (v.is(v.object({ text }), given)) mayTry(options, account, given.text);
      const seen = looks?.(body.output, name);
      if (seen) await options.look(request, seen.action, await seen.subject, name);
      await run(body.output, name, doerOf(request, account), response, account);
    } catch (error) {
      if (!(error instanceof DeskRefusal)) throw error;
      problem(response, error.status, error.title, error.message);
    }
  };

export const nothing = v.object({});

/** @throws DeskRefusal where the rehearsal of what is to be published finds a fault */
export async function rehearsed({ desk, rehearsals }: EditedDatabase, name: string): Promise<void> {
  const { text: current } = await desk.text(name);
  const { cases } = await rehearsals.quick({ name, text: current });
  const fell = cases.filter(({ verdict }) => verdict === "otherwise");
  if (fell.length === 0) return;
  throw new DeskRefusal(
    "The rehearsal found faults",
    `${fell.length} ${fell.length === 1 ? "case comes" : "cases come"} out otherwise than expected, the first: ${fell[0]?.title}. ${fell[0]?.because[0] ?? ""}`,
    422,
  );
}

/** A draft without errors. @throws DeskRefusal */
export async function sound(
  { threads }: EditedDatabase,
  name: string,
  given: string,
): Promise<{ name: string; text: string }> {
  const { findings, version } = await threads.run("sheet", { name, text: given });
  if (version === null)
    throw new DeskRefusal("The page has errors", findings[0]?.message ?? "Put them right first.", 422);
  return { name, text: given };
}

/** What routes are added with. */
export interface Adding {
  readonly routes: GuardedRoutes;
  readonly taking: ReturnType<typeof takingIn>;
  readonly options: DraftRouteOptions;
}
