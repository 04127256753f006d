/**
 * The edit page of network.station: GET fills a form from the record, POST saves what was changed in it.
 *
 * Exported from the page file "station" in version e54cf4120b16. It is yours: nothing here needs the program that wrote it.
 */
import { type Request, type Response, Router } from "express";
import {
  type Answer,
  answering,
  bodyOf,
  form,
  methodNotAllowed,
  type Options,
  takeSaid,
  tooLarge,
} from "../shared/answers.js";
import { lastChange, needSettings } from "../shared/database.js";
import { readToken, writeToken } from "../shared/form-token.js";
import { segmentOf } from "../shared/html.js";
import type { Actor } from "./actor.js";
import { type Field, fields, labels, readForm, type Texts, textsOf, type Station } from "./form.js";
import { load, loadChoices, refusal, takenByOthers, update } from "./sql.js";
import { formPage, type FormView, list, lockedText, mayEdit, savedText, unchangedText } from "./view.js";

// actor.roles.exists(r, r in ["hydrologist", "technician"])
const mayOpen = (actor: Actor): boolean => actor.roles.some((r) => ["hydrologist", "technician"].includes(r));

const tokenFor = (station: Station, actor: Actor, secret: string): string =>
  writeToken<Texts>({ page: "station", key: [station.code], actor: actor.id, shown: textsOf(station) }, secret);

const keyFrom = (request: Request): string => segmentOf(request.params.code);

async function open(
  { pool, secret }: Options<Actor>,
  actor: Actor,
  request: Request,
  response: Response,
): Promise<Answer> {
  const code = keyFrom(request);
  const [station, choices] = await Promise.all([load(pool, actor, code), loadChoices(pool)]);
  if (!station) return { notice: "no-such-record" };
  const view = {
    record: station,
    choices,
    texts: textsOf(station),
    token: tokenFor(station, actor, secret),
    base: request.baseUrl,
  };
  return { status: 200, ...formPage({ ...view, isLocked: !mayEdit(station), said: takeSaid(request, response) }) };
}

async function save({ pool, secret }: Options<Actor>, actor: Actor, request: Request): Promise<Answer> {
  const code = keyFrom(request);
  const body = bodyOf(request);
  if (!body) return { notice: "form-broken" };
  const typed = fields.map((field) => [labels[field], body[field]] as const);
  const shownThen = readToken<Texts>(body["form.token"], { page: "station", key: [code], actor: actor.id }, secret);
  if (!shownThen) return { notice: "form-not-yours", typed };
  for (let turn = 1; turn <= 5; turn += 1) {
    // Tried anew where somebody has changed the record between this and the statement.
    const [station, choices] = await Promise.all([load(pool, actor, code), loadChoices(pool)]);
    if (!station) return { notice: "record-gone", typed };
    const { texts, changes, problems: wrong } = readForm(body, shownThen, station, choices);
    const stored = textsOf(station);
    const shown = {
      record: station,
      choices,
      token: body["form.token"] ?? "",
      base: request.baseUrl,
      texts: { ...stored, ...texts },
    };
    const again = (status: number, view: Partial<FormView>): Answer => ({ status, ...formPage({ ...shown, ...view }) });
    /** The form made anew upon what is stored now, with what was typed in these fields. */
    const renewed = (status: number, names: readonly Field[], view: Partial<FormView> = {}): Answer => {
      const typed = Object.fromEntries(names.map((field) => [field, texts[field]]));
      return again(status, { token: tokenFor(station, actor, secret), texts: { ...stored, ...typed }, ...view });
    };
    const changed = fields.filter((field) => field in changes && field !== body["form.take"]);
    if (body["form.take"] !== undefined) return renewed(200, changed);
    const taken = wrong.length === 0 ? [] : await takenByOthers(pool, station, changes);
    const problems = [...wrong, ...taken.filter(({ field }) => wrong.every((each) => each.field !== field))];
    if (problems.length > 0) return again(422, { problems });
    for (const field of fields) if (changes[field] === station[field]) delete changes[field];
    if (Object.keys(changes).length === 0) return { to: list.address, said: unchangedText(station) };
    if (!mayEdit(station)) return { notice: "may-not-edit", because: lockedText, typed };
    // Changes of different fields are merged; where somebody has changed the same one, it is for the person to decide.
    const differing = fields.filter((field) => field in changes && stored[field] !== shownThen[field]);
    if (differing.length > 0) {
      const conflictAt = async (field: Field) => ({
        field,
        change: await lastChange(pool, {
          table: "network.station",
          key: { code: station.code },
          field,
          timeZone: "UTC",
        }),
      });
      return renewed(409, changed, { conflicts: await Promise.all(differing.map(conflictAt)) });
    }
    try {
      const written = await update(pool, actor, station, changes);
      if (written) {
        const tell = written.isChanged ? savedText : unchangedText;
        return { to: list.address, said: tell(written.station) };
      }
    } catch (error) {
      const problem = refusal(error, changes);
      if (!problem) throw error;
      return again(422, { problems: [problem] });
    }
  }
  return { notice: "too-busy", typed };
}

/**
 * The routes of the page: `app.use(stationRoutes({ pool, secret, actor }))`.
 *
 * The pool's role needs SELECT and UPDATE on network.station, SELECT on network.river and network.region, SELECT on quill_log.change, and EXECUTE on quill_log.add_change. Its sessions have DateStyle=ISO.
 */
export function stationRoutes(options: Options<Actor>): Router {
  needSettings(options.pool, "DateStyle=ISO");
  const answer = answering(options, mayOpen, list);
  const router = Router();
  router
    .route("/stations/:code/edit")
    .get(answer((actor, request, response) => open(options, actor, request, response)))
    .post(
      form,
      answer((actor, request) => save(options, actor, request)),
    )
    .all(methodNotAllowed(options, list));
  router.use(tooLarge(options, list));
  return router;
}
