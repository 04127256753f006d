/**
 * The edit page of network.river: GET fills a form from the record, POST saves what was changed in it.
 *
 * Exported from the page file "river" in version 0d4b02a5f726. It is yours: nothing here needs the program that wrote it.
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
import { lastChange } from "../shared/database.js";
import { readToken, writeToken } from "../shared/form-token.js";
import { segmentOf } from "../shared/html.js";
import type { Actor } from "./actor.js";
import { type Field, fields, labels, readForm, type Texts, textsOf, type River } from "./form.js";
import { load, refusal, takenByOthers, update } from "./sql.js";
import { formPage, type FormView, list, savedText, unchangedText } from "./view.js";

// actor.roles.exists(r, r in ["hydrologist", "technician"])
const mayOpen = (actor: Actor): boolean => actor.roles.some((r) => ["hydrologist", "technician"].includes(r));

const tokenFor = (river: River, actor: Actor, secret: string): string =>
  writeToken<Texts>({ page: "river", key: [river.id], actor: actor.id, shown: textsOf(river) }, secret);

const keyFrom = (request: Request): string | null =>
  wholeNumber(segmentOf(request.params.id), -2147483648n, 2147483647n);

async function open(
  { pool, secret }: Options<Actor>,
  actor: Actor,
  request: Request,
  response: Response,
): Promise<Answer> {
  const id = keyFrom(request);
  if (id === null) return { notice: "malformed-key" };
  const river = await load(pool, id);
  if (!river) return { notice: "no-such-record" };
  const view = { record: river, texts: textsOf(river), token: tokenFor(river, actor, secret), base: request.baseUrl };
  return { status: 200, ...formPage({ ...view, said: takeSaid(request, response) }) };
}

async function save({ pool, secret }: Options<Actor>, actor: Actor, request: Request): Promise<Answer> {
  const id = keyFrom(request);
  if (id === null) return { notice: "malformed-key" };
  const body = bodyOf(request);
  if (!body) return { notice: "form-broken" };
  const typed = fields.map((field) => [labels[field], body[field]] as const);
  const shownThen = readToken<Texts>(body["form.token"], { page: "river", key: [id], actor: actor.id }, secret);
  if (!shownThen) return { notice: "form-not-yours", typed };
  for (let turn = 1; turn <= 5; turn += 1) {
    // Tried anew where somebody has changed the record between this and the statement.
    const river = await load(pool, id);
    if (!river) return { notice: "record-gone", typed };
    const { texts, changes, problems: wrong } = readForm(body, shownThen, river);
    const stored = textsOf(river);
    const shown = {
      record: river,
      token: body["form.token"] ?? "",
      base: request.baseUrl,
      texts: { ...stored, ...texts },
    };
    const again = (status: number, view: Partial<FormView>): Answer => ({ status, ...formPage({ ...shown, ...view }) });
    /** The form made anew upon what is stored now, with what was typed in these fields. */
    const renewed = (status: number, names: readonly Field[], view: Partial<FormView> = {}): Answer => {
      const typed = Object.fromEntries(names.map((field) => [field, texts[field]]));
      return again(status, { token: tokenFor(river, actor, secret), texts: { ...stored, ...typed }, ...view });
    };
    const changed = fields.filter((field) => field in changes && field !== body["form.take"]);
    if (body["form.take"] !== undefined) return renewed(200, changed);
    const taken = wrong.length === 0 ? [] : await takenByOthers(pool, river, changes);
    const problems = [...wrong, ...taken.filter(({ field }) => wrong.every((each) => each.field !== field))];
    if (problems.length > 0) return again(422, { problems });
    for (const field of fields) if (changes[field] === river[field]) delete changes[field];
    if (Object.keys(changes).length === 0) return { to: list.address, said: unchangedText(river) };
    // Changes of different fields are merged; where somebody has changed the same one, it is for the person to decide.
    const differing = fields.filter((field) => field in changes && stored[field] !== shownThen[field]);
    if (differing.length > 0) {
      const conflictAt = async (field: Field) => ({
        field,
        change: await lastChange(pool, { table: "network.river", key: { id: river.id }, field, timeZone: "UTC" }),
      });
      return renewed(409, changed, { conflicts: await Promise.all(differing.map(conflictAt)) });
    }
    try {
      const written = await update(pool, actor, river, changes);
      if (written) {
        const tell = written.isChanged ? savedText : unchangedText;
        return { to: list.address, said: tell(written.river) };
      }
    } catch (error) {
      const problem = refusal(error, changes);
      if (!problem) throw error;
      return again(422, { problems: [problem] });
    }
  }
  return { notice: "too-busy", typed };
}

/** A whole number of the address, as PostgreSQL prints it; null for what can be none. */
function wholeNumber(text: string, least: bigint, most: bigint): string | null {
  if (!/^[+-]?\d{1,100}$/.test(text)) return null;
  const number = BigInt(text.replace("+", ""));
  return number < least || number > most ? null : number.toString();
}

/**
 * The routes of the page: `app.use(riverRoutes({ pool, secret, actor }))`.
 *
 * The pool's role needs SELECT and UPDATE on network.river, SELECT on quill_log.change, and EXECUTE on quill_log.add_change.
 */
export function riverRoutes(options: Options<Actor>): Router {
  const answer = answering(options, mayOpen, list);
  const router = Router();
  router
    .route("/rivers/:id/edit")
    .get(answer((actor, request, response) => open(options, actor, request, response)))
    .post(
      form,
      answer((actor, request) => save(options, actor, request)),
    )
    .all(methodNotAllowed(options, list));
  router.use(tooLarge(options, list));
  return router;
}
