import express, { type Request, type Response } from "express";
import * as v from "valibot";
import { nameForm } from "../drafts/desk.js";
import { DeskRefusal } from "../drafts/desk-refusal.js";
import { mostReplayed } from "../drafts/rehearsals.js";
import type { EditedDatabase } from "../edited-database.js";
import type { Account } from "../store/entities.js";
import { type Doer, doerOf, type Look, type TrailAction } from "../trail.js";
import { GuardedRoutes, mayLookAt, mayTry } from "./access.js";
import { problem } from "./problem.js";
import { requestQueryOf } from "./request-routes.js";
import { plain } from "./shapes.js";
import { oneselfFirst } from "./trial.js";
import type { DraftAnswer, VersionAnswer } from "./types.js";

const text = v.pipe(plain, v.maxLength(262_144, "must not be longer than 256 KiB"));
const revision = v.pipe(v.number(), v.integer(), v.minValue(1));

const bodies = {
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
    v.strictObject({ text, query: v.record(plain, plain), rowsThen: v.optional(v.boolean()) }),
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
    query: v.optional(v.record(plain, v.pipe(plain, v.maxLength(4000)))),
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

async function draftAnswer({ desk, threads }: EditedDatabase, name: string): Promise<DraftAnswer> {
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
function tried(
  store: EditedDatabase["store"],
  name: string,
  { key, as }: { key?: string[] | undefined; as?: string | undefined },
): Looked {
  const person = async (): Promise<string> =>
    as === undefined ? "" : ` as ${(await store.people()).find(({ id }) => id === as)?.name ?? as}`;
  const record = key === undefined ? "" : ` ${key.join(" / ")}`;
  return { action: "draft.tried", subject: person().then((who) => `${name}${record}${who}`) };
}

/** Runs a route whose body is of a shape; what the desk refuses is answered as a problem, and what is looked at is noted. */
const takingIn =
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
      return problem(response, 400, "Not understood", `${at === "" ? "The body" : at}: ${issue.message}`);
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

const nothing = v.object({});

/** @throws DeskRefusal where the rehearsal of what is to be published finds a fault */
async function rehearsed({ desk, rehearsals }: EditedDatabase, name: string): Promise<void> {
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
async function sound(
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
interface Adding {
  readonly routes: GuardedRoutes;
  readonly taking: ReturnType<typeof takingIn>;
  readonly options: DraftRouteOptions;
}

/** A draft is begun, read, changed, discarded, and takes in what was changed on disk. */
function addDraft({ routes, taking, options }: Adding): void {
  const { desk, look } = options;
  routes.post(
    ["builder"],
    "/",
    taking(bodies.begin, async (from, _name, by, response) => {
      const name = await desk.begin(from, by);
      response.status(201).json(await draftAnswer(options, name));
    }),
  );

  routes.get(
    ["builder"],
    "/:name",
    taking(nothing, async (_body, name, _by, response) => response.json(await draftAnswer(options, name))),
  );

  routes.put(
    ["builder"],
    "/:name",
    taking(bodies.change, async (change, name, by, response) => {
      const { conflicts } = await desk.change(name, change, by);
      await look(response.req, "draft.changed", name, name);
      response.json({ ...(await draftAnswer(options, name)), conflicts });
    }),
  );

  routes.delete(
    ["builder"],
    "/:name",
    taking(bodies.publish, async (body, name, by, response) => {
      response.json({ text: await desk.discard(name, body.revision, by) });
    }),
  );

  routes.post(
    ["builder"],
    "/:name/bring-in",
    taking(nothing, async (_body, name, by, response) => {
      const { conflicts } = await desk.bringIn(name, by);
      response.json({ ...(await draftAnswer(options, name)), conflicts });
    }),
  );
}

/** A draft is published, and what that does to people is told before. */
function addPublishing({ routes, taking, options }: Adding): void {
  const { desk, store, threads } = options;
  routes.post(
    ["builder"],
    "/:name/publish",
    taking(bodies.publish, async (body, name, by, response, account) => {
      mayTry(options, account, (await desk.text(name)).text);
      if (options.onPublish === "refuse") await rehearsed(options, name);
      await desk.publish(name, body.revision, by, body.everybody);
      response.json(await draftAnswer(options, name));
    }),
  );

  routes.get(
    ["builder"],
    "/:name/effects",
    taking(nothing, async (_body, name, _by, response) => {
      const { text, published } = await desk.text(name);
      response.json(await threads.run("effects", { name, text, published, people: await store.people() }));
    }),
  );

  routes.post(
    ["builder"],
    "/:name/note",
    taking(nothing, async (_body, name, _by, response) => {
      await desk.note(name);
      response.json(await draftAnswer(options, name));
    }),
  );
}

/** What was published before. */
function addVersions({ routes, taking, options }: Adding): void {
  const { desk, threads } = options;
  routes.get(
    ["builder"],
    "/:name/versions",
    taking(nothing, async (_body, name, _by, response) => {
      const versions = await desk.versions(name);
      // Each with the one before it, where both are texts.
      const changed = versions.flatMap((version, index) => {
        const before = versions[index + 1];
        return version.text !== null && before ? [{ version, pair: [before.text ?? "{}", version.text] as const }] : [];
      });
      const words =
        changed.length === 0 ? [] : await threads.run("differences", { pairs: changed.map(({ pair }) => pair) });
      const differs = new Map(changed.map(({ version }, index) => [version, words[index] ?? []]));
      const answer = versions.map(
        (version): VersionAnswer => ({
          number: version.number,
          at: version.at.toISOString(),
          by: version.byName,
          text: version.text,
          differs: version.text === null ? ["the file was taken away"] : (differs.get(version) ?? []),
        }),
      );
      response.json(answer);
    }),
  );
}

/** A draft as plain code. */
function addCode({ routes, taking, options }: Adding): void {
  routes.post(
    ["builder"],
    "/:name/code",
    taking(bodies.census, async ({ text: given }, name, _by, response) => {
      response.json(await options.threads.run("code", await sound(options, name, given)));
    }),
  );
}

/** What the stored rows say of a draft's rules. */
function addCensus({ routes, taking, options }: Adding): void {
  const { threads, censuses, look } = options;
  routes.post(
    ["builder"],
    "/:name/review",
    taking(bodies.census, async (body, name, _by, response) => {
      response.json(await threads.run("review", { name, text: body.text }));
    }),
  );

  routes.get(
    ["builder"],
    "/:name/census",
    taking(nothing, async (_body, name, _by, response) => response.json(await censuses.of(name))),
  );

  routes.post(
    ["builder"],
    "/:name/census",
    taking(bodies.census, async ({ text: given }, name, _by, response) => {
      const begun = await censuses.begin(await sound(options, name, given));
      await look(response.req, "census.counted", name, name);
      response.status(202).json(begun);
    }),
  );

  routes.delete(
    ["builder"],
    "/:name/census",
    taking(nothing, async (_body, name, _by, response) => {
      await censuses.cancel(name);
      response.json(await censuses.of(name));
    }),
  );
}

/** The rehearsal of a draft. */
function addRehearsal({ routes, taking, options }: Adding): void {
  const { rehearsals, look } = options;
  routes.get(
    ["builder"],
    "/:name/rehearsal",
    taking(nothing, async (_body, name, _by, response) => response.json(await rehearsals.of(name))),
  );

  routes.post(
    ["builder"],
    "/:name/rehearsal",
    taking(bodies.rehearsal, async ({ text: given, quick = false }, name, _by, response) => {
      const begun = await rehearsals.begin({ ...(await sound(options, name, given)), quick });
      await look(response.req, "draft.rehearsed", name, name);
      response.status(202).json(begun);
    }),
  );

  routes.delete(
    ["builder"],
    "/:name/rehearsal",
    taking(nothing, async (_body, name, _by, response) => {
      await rehearsals.cancel(name);
      response.json(await rehearsals.of(name));
    }),
  );

  routes.get(["builder"], "/:name/rehearsal/:id", async (request, response) => {
    const found = await rehearsals.caseOf(request.params.name, request.params.id);
    if (found) response.json(found);
    else problem(response, 404, "No such case", "The page was rehearsed anew since, or never.");
  });
}

/** Recorded requests, replayed on a draft. */
function addReplay({ routes, taking, options }: Adding): void {
  const { rehearsals } = options;
  routes.get(
    ["builder"],
    "/:name/replay",
    taking(nothing, async (_body, name, _by, response) => response.json(await rehearsals.replayOf(name))),
  );

  routes.post(
    ["builder"],
    "/:name/replay",
    taking(
      bodies.replay,
      async ({ text: given, rowsThen = false, ...which }, name, _by, response) => {
        const asked = "ids" in which ? { ids: which.ids } : { query: requestQueryOf(which.query) };
        response.status(202).json(await rehearsals.beginReplay(await sound(options, name, given), asked, rowsThen));
      },
      (_body, name) => ({ action: "requests.read", subject: `${name}, played again` }),
    ),
  );

  routes.delete(
    ["builder"],
    "/:name/replay",
    taking(nothing, async (_body, name, _by, response) => {
      await rehearsals.cancelReplay(name);
      response.json(await rehearsals.replayOf(name));
    }),
  );

  routes.get(["builder"], "/:name/replay/:id", async (request, response) => {
    const found = await rehearsals.replayed(request.params.name, request.params.id);
    if (found) response.json(found);
    else problem(response, 404, "No such request", "It was not among the last ones that were played again.");
  });
}

/** A draft is tried: one condition of it, a request, its list. */
function addTrials({ routes, taking, options }: Adding): void {
  const { store, threads } = options;
  routes.post(
    ["builder"],
    "/:name/condition",
    taking(
      bodies.condition,
      async ({ text: given, as, ...question }, name, by, response) => {
        const people = oneselfFirst(await store.people(), by);
        response.json(await threads.run("condition", { name, text: given, as, people, question }));
      },
      (body, name) => tried(options.store, name, body),
    ),
  );

  routes.post(
    ["builder"],
    "/:name/trial",
    taking(
      bodies.trial,
      async (body, name, by, response) => {
        const people = oneselfFirst(await store.people(), by);
        response.json(await threads.run("trial", { ...body, name, people }));
      },
      (body, name) => tried(options.store, name, body),
    ),
  );

  routes.post(
    ["builder"],
    "/:name/list",
    taking(
      bodies.list,
      async ({ query = {}, ...body }, name, by, response) => {
        const people = oneselfFirst(await store.people(), by);
        response.json(await threads.run("list", { ...body, name, query, people }));
      },
      (body, name) => tried(options.store, `${name}, its list`, body),
    ),
  );
}

/** Drafts: begun, changed, tried, published; and the versions of what was published. */
export function draftRoutes(options: DraftRouteOptions): GuardedRoutes {
  const routes = new GuardedRoutes(options.account);
  routes.router.use(express.json({ limit: "2mb" }));
  const adding: Adding = { routes, taking: takingIn(options), options };
  for (const add of [addDraft, addPublishing, addVersions, addCode, addCensus, addRehearsal, addReplay, addTrials])
    add(adding);
  return routes;
}
