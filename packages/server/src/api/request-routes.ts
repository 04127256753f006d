import type { RecordedRequest } from "@loyal-quill/core";
import { DatabaseRefusal } from "@loyal-quill/core";
import type { Request } from "express";
import * as v from "valibot";
import type { EditedDatabase } from "../edited-database.js";
import type { Account } from "../store/entities.js";
import type { RequestQuery } from "../store/kept-requests.js";
import type { Look } from "../trail.js";
import { GuardedRoutes } from "./access.js";
import { problem } from "./problem.js";
import { entryNumber, number, reading, textOf } from "./queries.js";
import type { RequestsAnswer } from "./types.js";

interface RequestRouteOptions extends EditedDatabase {
  readonly account: (request: Request) => Promise<Account | null>;
  readonly look: Look;
}

/** What the latest requests of all pages are called in the trail, wherever they are told: in the list of pages, the list of requests, the live feed. */
export const latest = "all pages";

/** Requests in one part of a list. */
const part = 100;

const uuid = v.pipe(v.string(), v.uuid());

const [whichRead, partRead, newestRead, statementRead] = [
  reading({
    page: textOf(),
    person: textOf(),
    outcome: textOf(),
    step: textOf(),
    record: textOf(),
    field: textOf(),
    slower: number,
    text: textOf(),
    days: number,
  }),
  reading({ before: entryNumber }),
  reading({ page: textOf(), operation: textOf() }),
  reading({ step: textOf(), statement: number }),
];

/** What is asked for, as far as it is understood: the rest of a query is nothing. */
export function requestQueryOf(query: unknown): RequestQuery {
  const { days, ...which } = whichRead(query);
  return { ...which, since: days === undefined ? undefined : new Date(Date.now() - days * 86_400_000) };
}

/** Recorded requests: told, summed, one by one, and how PostgreSQL would go about their statements. */
export function requestRoutes(options: RequestRouteOptions): GuardedRoutes {
  const { store, database, look } = options;
  const routes = new GuardedRoutes(options.account);

  routes.get(["builder"], "/", async (request, response) => {
    const query = requestQueryOf(request.query);
    await look(request, "requests.read", query.page ?? latest);
    const { before } = partRead(request.query);
    const found = await store.requests.told(query, part + 1, before);
    const answer: RequestsAnswer = { requests: found.slice(0, part), more: found.length > part };
    response.json(answer);
  });

  routes.get(["builder"], "/newest", async (request, response) => {
    const { page, operation } = newestRead(request.query);
    await look(request, "requests.read", page ?? latest);
    const found: RecordedRequest[] = await store.requests.newest({
      ...(page ? { page } : {}),
      ...(operation ? { operation } : {}),
      limit: 50,
    });
    response.json(found);
  });

  routes.get(["builder"], "/sums", async (request, response) => {
    response.json(await store.requests.sums(requestQueryOf(request.query)));
  });

  const oneOf = async (request: Request<{ id: string }>): Promise<RecordedRequest | null> => {
    const { id } = request.params;
    const recorded = v.is(uuid, id) ? await store.requests.one(id) : null;
    if (recorded) await look(request as unknown as Request, "requests.read", recorded.page ?? "", recorded.id);
    return recorded;
  };

  routes.get(["builder"], "/:id", async (request, response) => {
    const recorded = await oneOf(request);
    return recorded
      ? response.json(recorded)
      : problem(response, 404, "No such request", "It was made before requests were kept, or was forgotten since.");
  });

  /** How PostgreSQL would go about a statement of a request now: it is planned, not run (documentation, EXPLAIN). */
  routes.get(["builder"], "/:id/plan", async (request, response) => {
    const recorded = await oneOf(request);
    const asked = statementRead(request.query);
    const step = recorded?.steps.find((each) => each.step === asked.step);
    const statement = step?.statements[asked.statement ?? -1];
    if (!statement) return problem(response, 404, "No such statement", "The request sent no such statement.");
    if (statement.values.some((value) => value?.endsWith(" characters)")))
      return problem(response, 422, "Not kept whole", "A value of the statement was too long to be kept whole.");
    try {
      const plan = await database.run({
        purpose: "plan of a statement",
        // With its options in brackets nothing of the statement can be taken for one of them.
        text: `EXPLAIN (ANALYZE false) ${statement.text}`,
        values: statement.values,
        plannedAnew: true,
      });
      return response.json({ plan: plan.map((row) => row["QUERY PLAN"] ?? "").join("\n") });
    } catch (error) {
      if (!(error instanceof DatabaseRefusal)) throw error;
      return problem(response, 422, "Not planned", error.message);
    }
  });

  return routes;
}
