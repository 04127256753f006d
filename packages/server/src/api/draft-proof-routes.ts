import { type Adding, bodies, nothing, sound } from "./draft-route-parts.js";
import { problem } from "./problem.js";
import { requestQueryOf } from "./request-routes.js";

/** What the stored rows say of a draft's rules. */
export function addCensus({ routes, taking, options }: Adding): void {
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
export function addRehearsal({ routes, taking, options }: Adding): void {
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
export function addReplay({ routes, taking, options }: Adding): void {
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
