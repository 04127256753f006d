import { differenceInWords, differences, reviewAgainstRows } from "@loyal-quill/authoring";
import type { Page } from "@loyal-quill/core";
import { factsOf, nobody } from "@loyal-quill/core";
import type { Loaded } from "@loyal-quill/runtime";
import express, { type Request, type Response } from "express";
import * as v from "valibot";
import type { Censuses } from "../drafts/census.js";
import { type Desk, DeskRefusal, nameForm } from "../drafts/desk.js";
import type { Account } from "../store/entities.js";
import { judgeCondition } from "./conditions.js";
import { effects } from "./people.js";
import { problem } from "./problem.js";
import { plain } from "./shapes.js";
import { sheetOf } from "./sheet.js";
import { type TrialOptions, trial, trialOfList, trialOfNew, tryingAs } from "./trial.js";
import type { DraftAnswer, DraftTrialAnswer, TrialAnswer, VersionAnswer } from "./types.js";

const text = v.pipe(plain, v.maxLength(262_144, "must not be longer than 256 KiB"));
const revision = v.pipe(v.number(), v.integer(), v.minValue(1));

const bodies = {
  begin: v.union([v.strictObject({ table: plain }), v.strictObject({ name: plain, text })]),
  change: v.strictObject({ was: text, text }),
  publish: v.strictObject({ revision }),
  census: v.strictObject({ text }),
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

export interface DraftRouteOptions extends TrialOptions {
  readonly loaded: () => Loaded;
  readonly censuses: Censuses;
  readonly desk: Desk;
  readonly account: (request: Request) => Promise<Account | null>;
}

/** The differences of two texts in words, one a line; a text that can't be read says so. */
function inWords(before: string, after: string): readonly string[] {
  const found = differences(before, after);
  if (!found) return ["the text can't be read as YAML"];
  if (found.length === 0 && before !== after) return ["comments and layout only"];
  return found.map(differenceInWords);
}

const changesOnDisk = (base: string | null, published: string | null): readonly string[] =>
  published === null ? ["it was deleted: nothing is served under this name"] : inWords(base ?? "{}", published);

async function draftAnswer(desk: Desk, name: string): Promise<DraftAnswer> {
  const { text: current, draft, published } = await desk.text(name);
  return {
    name,
    text: current,
    published,
    revision: draft?.revision ?? 0,
    by: draft?.byName ?? null,
    at: draft?.at.toISOString() ?? null,
    differs: draft ? inWords(published ?? "{}", current) : [],
    drift: (await desk.drift()).get(name) ?? [],
    fileChanged: draft && draft.base !== published ? changesOnDisk(draft.base, published) : null,
  };
}

/** Drafts: begun, changed, tried, published; and the versions of what was published. */
export function draftRoutes(options: DraftRouteOptions): express.Router {
  const { desk } = options;
  const router = express.Router();
  router.use(express.json({ limit: "2mb" }));

  /** Runs a route whose body is of a shape; what the desk refuses is answered as a problem. */
  const taking =
    <Schema extends v.GenericSchema>(
      schema: Schema,
      run: (body: v.InferOutput<Schema>, name: string, by: string, response: Response) => Promise<unknown>,
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
      try {
        await run(body.output, name, account?.name ?? "", response);
      } catch (error) {
        if (!(error instanceof DeskRefusal)) throw error;
        problem(response, error.status, error.title, error.message);
      }
    };

  const nothing = v.object({});

  /** The record that was asked for, or the form of a new one; null where neither can be shown. */
  async function tried(
    page: Page,
    { key, as, form, fresh }: v.InferOutput<typeof bodies.trial>,
  ): Promise<TrialAnswer | null> {
    const hasKey = key?.length === page.key.length;
    const actor = hasKey || fresh ? await tryingAs(options.store, page, as) : null;
    if (!actor) return null;
    return key && hasKey ? trial(options, page, key, actor, form ?? null) : trialOfNew(options, page, actor);
  }

  router.post(
    "/",
    taking(bodies.begin, async (from, _name, by, response) => {
      const name = await desk.begin(from, by);
      response.status(201).json(await draftAnswer(desk, name));
    }),
  );

  router.get(
    "/:name",
    taking(nothing, async (_body, name, _by, response) => response.json(await draftAnswer(desk, name))),
  );

  router.put(
    "/:name",
    taking(bodies.change, async (change, name, by, response) => {
      const { conflicts } = await desk.change(name, change, by);
      response.json({ ...(await draftAnswer(desk, name)), conflicts });
    }),
  );

  router.delete(
    "/:name",
    taking(bodies.publish, async (body, name, by, response) => {
      response.json({ text: await desk.discard(name, body.revision, by) });
    }),
  );

  router.post(
    "/:name/bring-in",
    taking(nothing, async (_body, name, by, response) => {
      const { conflicts } = await desk.bringIn(name, by);
      response.json({ ...(await draftAnswer(desk, name)), conflicts });
    }),
  );

  router.post(
    "/:name/publish",
    taking(bodies.publish, async (body, name, by, response) => {
      await desk.publish(name, body.revision, by);
      response.json(await draftAnswer(desk, name));
    }),
  );

  router.get(
    "/:name/effects",
    taking(nothing, async (_body, name, _by, response) => {
      const { text: current, published } = await desk.text(name);
      const before = published === null ? null : desk.bind(name, published).page;
      const after = desk.bind(name, current).page;
      response.json(after ? await effects(before, after, await options.store.accounts(), options.database) : []);
    }),
  );

  router.post(
    "/:name/note",
    taking(nothing, async (_body, name, _by, response) => {
      await desk.note(name);
      response.json(await draftAnswer(desk, name));
    }),
  );

  router.get(
    "/:name/versions",
    taking(nothing, async (_body, name, _by, response) => {
      const versions = await desk.versions(name);
      const answer = versions.map((version, index): VersionAnswer => {
        const before = versions[index + 1];
        return {
          number: version.number,
          at: version.at.toISOString(),
          by: version.byName,
          text: version.text,
          differs:
            version.text === null
              ? ["the file was taken away"]
              : before
                ? inWords(before.text ?? "{}", version.text)
                : [],
        };
      });
      response.json(answer);
    }),
  );

  router.post(
    "/:name/review",
    taking(bodies.census, async (body, name, _by, response) => {
      const { page, parsed } = desk.bind(name, body.text);
      response.json(page && parsed ? await reviewAgainstRows(page, parsed, options.database) : []);
    }),
  );

  router.get(
    "/:name/census",
    taking(nothing, async (_body, name, _by, response) => response.json(options.censuses.of(name))),
  );

  router.post(
    "/:name/census",
    taking(bodies.census, async (body, name, _by, response) => {
      const { page, findings } = desk.bind(name, body.text);
      if (!page) throw new DeskRefusal("The page has errors", findings[0]?.message ?? "Put them right first.", 422);
      response.status(202).json(options.censuses.begin(name, body.text, page));
    }),
  );

  router.delete(
    "/:name/census",
    taking(nothing, async (_body, name, _by, response) => {
      options.censuses.cancel(name);
      response.json(options.censuses.of(name));
    }),
  );

  router.post(
    "/:name/condition",
    taking(bodies.condition, async (question, name, _by, response) => {
      const bound = desk.bind(name, question.text);
      const actor = await tryingAs(options.store, bound.page, question.as);
      const facts = factsOf(actor ?? nobody, new Date());
      response.json(await judgeCondition(question, bound, options.loaded(), facts, options.database));
    }),
  );

  router.post(
    "/:name/trial",
    taking(bodies.trial, async (body, name, _by, response) => {
      const bound = desk.bind(name, body.text);
      const { page } = bound;
      const answer: DraftTrialAnswer = {
        sheet: sheetOf(bound, options.mount),
        trial: page && (await tried(page, body)),
      };
      response.json(answer);
    }),
  );

  router.post(
    "/:name/list",
    taking(bodies.list, async ({ text: given, as, query = {} }, name, _by, response) => {
      const { page } = desk.bind(name, given);
      const actor = await tryingAs(options.store, page, as);
      response.json(page && actor ? await trialOfList(options, page, actor, query) : null);
    }),
  );

  return router;
}
