import express from "express";
import { GuardedRoutes, mayTry } from "./access.js";
import type { VersionAnswer } from "./answers/sheet.js";
import { addCensus, addRehearsal, addReplay } from "./draft-proof-routes.js";
import {
  type Adding,
  bodies,
  type DraftRouteOptions,
  draftAnswer,
  nothing,
  rehearsed,
  sound,
  takingIn,
  tried,
} from "./draft-route-parts.js";
import { oneselfFirst } from "./trial.js";

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
      response.json(await threads.run("effects", { name, text, published, people: await store.accounts.people() }));
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

/** A draft is tried: one condition of it, a request, its list. */
function addTrials({ routes, taking, options }: Adding): void {
  const { store, threads } = options;
  routes.post(
    ["builder"],
    "/:name/condition",
    taking(
      bodies.condition,
      async ({ text: given, as, ...question }, name, by, response) => {
        const people = oneselfFirst(await store.accounts.people(), by);
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
        const people = oneselfFirst(await store.accounts.people(), by);
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
        const people = oneselfFirst(await store.accounts.people(), by);
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
