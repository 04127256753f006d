/**
 * The edit page of field.visit: GET fills a form from the record, POST saves what was changed in it.
 *
 * Exported from the page file "visit" in version 97604359775b. It is yours: nothing here needs the program that wrote it.
 */
import { type Request, type Response, Router } from "express";
import {
  type Answer,
  answering,
  bodyOf,
  methodNotAllowed,
  type Options,
  takeSaid,
  tooLarge,
} from "../shared/answers.js";
import { lastChange, needSettings } from "../shared/database.js";
import { fileForm, filesOf, isSameFile, sendFile } from "../shared/files.js";
import { readToken, writeToken } from "../shared/form-token.js";
import { segmentOf } from "../shared/html.js";
import type { Actor } from "./actor.js";
import { type Field, fields, type FileField, labels, readForm, type Texts, textsOf, type Visit } from "./form.js";
import { type Find, load, loadChoices, loadFile, refusal, update } from "./sql.js";
import { addressOf, formPage, type FormView, list, savedText, unchangedText } from "./view.js";

// actor.roles.exists(r, r in ["hydrologist", "technician"])
const mayOpen = (actor: Actor): boolean => actor.roles.some((r) => ["hydrologist", "technician"].includes(r));

const tokenFor = (visit: Visit, actor: Actor, secret: string): string =>
  writeToken<Texts>({ page: "visit", key: [visit.id], actor: actor.id, shown: textsOf(visit) }, secret);

const keyFrom = (request: Request): string | null => uuid(segmentOf(request.params.id));

/** What is to be found among choices: by its button, or by the enter key in its text. */
function findIn(body: Readonly<Record<string, string>>): Find {
  const field = (["station_code"] as const).find(
    (name) => body["form.look"] === name || body[`form.find:${name}`]?.trim(),
  );
  return field ? { [field]: (body[`form.find:${field}`] ?? "").trim() } : {};
}

async function open(
  { pool, secret }: Options<Actor>,
  actor: Actor,
  request: Request,
  response: Response,
): Promise<Answer> {
  const id = keyFrom(request);
  if (id === null) return { notice: "malformed-key" };
  const visit = await load(pool, id);
  if (!visit) return { notice: "no-such-record" };
  const choices = await loadChoices(pool, visit, visit);
  const view = {
    record: visit,
    choices,
    texts: textsOf(visit),
    token: tokenFor(visit, actor, secret),
    base: request.baseUrl,
  };
  return { status: 200, ...formPage({ ...view, said: takeSaid(request, response) }) };
}

/** A stored file, for whoever may see its record. */
async function download(
  { pool }: Options<Actor>,
  request: Request,
  response: Response,
  column: FileField,
): Promise<Answer | null> {
  const id = keyFrom(request);
  if (id === null) return { notice: "malformed-key" };
  const content = await loadFile(pool, column, id);
  if (!content) return { notice: "no-such-record" };
  sendFile(response, ["visit", id, column].join("-"), content);
  return null;
}

async function save({ pool, secret }: Options<Actor>, actor: Actor, request: Request): Promise<Answer> {
  const id = keyFrom(request);
  if (id === null) return { notice: "malformed-key" };
  const body = bodyOf(request);
  if (!body) return { notice: "form-broken" };
  const typed = fields.map((field) => [labels[field], body[field]] as const);
  const shownThen = readToken<Texts>(body["form.token"], { page: "visit", key: [id], actor: actor.id }, secret);
  if (!shownThen) return { notice: "form-not-yours", typed };
  const find = findIn(body);
  const now = new Date();
  for (let turn = 1; turn <= 5; turn += 1) {
    // Tried anew where somebody has changed the record between this and the statement.
    const visit = await load(pool, id);
    if (!visit) return { notice: "record-gone", typed };
    // What may be chosen, and what is called how, depends on what else is on the form: that is read first.
    const { changes: wanted } = readForm(
      body,
      filesOf(request),
      shownThen,
      visit,
      await loadChoices(pool, visit, visit),
    );
    const choices = await loadChoices(pool, visit, { ...visit, ...wanted }, find);
    const { texts, changes, problems } = readForm(body, filesOf(request), shownThen, visit, choices);
    const stored = textsOf(visit);
    const shown = {
      record: visit,
      choices,
      token: body["form.token"] ?? "",
      base: request.baseUrl,
      texts: { ...stored, ...texts },
    };
    const again = (status: number, view: Partial<FormView>): Answer => ({ status, ...formPage({ ...shown, ...view }) });
    if (body["form.look"] !== undefined || Object.keys(find).length > 0) return again(200, { find });
    /** The form made anew upon what is stored now, with what was typed in these fields. */
    const renewed = (status: number, names: readonly Field[], view: Partial<FormView> = {}): Answer => {
      const typed = Object.fromEntries(names.map((field) => [field, texts[field]]));
      return again(status, { token: tokenFor(visit, actor, secret), texts: { ...stored, ...typed }, ...view });
    };
    const changed = fields.filter((field) => field in changes && field !== body["form.take"]);
    if (body["form.take"] !== undefined) return renewed(200, changed);
    if (problems.length > 0) return again(422, { problems });
    for (const field of fields)
      if (changes[field] === visit[field] || isSameFile(filesOf(request)[field], visit[field])) delete changes[field];
    if (Object.keys(changes).length === 0) return { to: `${addressOf(visit)}/edit`, said: unchangedText(visit) };
    // Changes of different fields are merged; where somebody has changed the same one, it is for the person to decide.
    const differing = fields.filter((field) => field in changes && stored[field] !== shownThen[field]);
    if (differing.length > 0) {
      const conflictAt = async (field: Field) => ({
        field,
        change: await lastChange(pool, {
          table: "field.visit",
          key: { id: visit.id },
          field,
          timeZone: "Europe/London",
        }),
      });
      return renewed(409, changed, { conflicts: await Promise.all(differing.map(conflictAt)) });
    }
    try {
      const written = await update(pool, actor, visit, changes, now);
      if (written) {
        const tell = written.isChanged ? savedText : unchangedText;
        return { to: `${addressOf(written.visit)}/edit`, said: tell(written.visit) };
      }
    } catch (error) {
      const problem = refusal(error, changes);
      if (!problem) throw error;
      return again(422, { problems: [problem] });
    }
  }
  return { notice: "too-busy", typed };
}

/** A UUID of the address, as PostgreSQL prints it; null for what is none. */
const uuid = (text: string): string | null =>
  /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(text) ? text.toLowerCase() : null;

/**
 * The routes of the page: `app.use(visitRoutes({ pool, secret, actor }))`.
 *
 * The pool's role needs SELECT and UPDATE on field.visit, SELECT on network.station and office.person, SELECT on quill_log.change, and EXECUTE on quill_log.add_change. Its sessions have TimeZone=UTC, DateStyle=ISO.
 */
export function visitRoutes(options: Options<Actor>): Router {
  needSettings(options.pool, "TimeZone=UTC", "DateStyle=ISO");
  const answer = answering(options, mayOpen, list);
  const router = Router();
  router
    .route("/visits/:id/edit")
    .get(answer((actor, request, response) => open(options, actor, request, response)))
    .post(
      fileForm(options.actor),
      answer((actor, request) => save(options, actor, request)),
    )
    .all(methodNotAllowed(options, list));
  router.get(
    "/visits/:id/photo",
    answer((_actor, request, response) => download(options, request, response, "photo")),
  );
  router.use(tooLarge(options, list));
  return router;
}
