import { randomUUID } from "node:crypto";
import { performance } from "node:perf_hooks";
import {
  type Database,
  type Dependencies,
  type Handled,
  handle,
  isSaving,
  jsonText,
  type MatchedRoute,
  type OwnRoute,
  type PageRequest,
  type RecordedRequest,
  route,
  takesFiles,
} from "@loyal-quill/core";
import type { AfterSaves } from "./after-saves.js";
import { whileWaitedFor } from "./database/database.js";
import { Waiting } from "./database/nobody-waits.js";
import { mayReadReplica } from "./database/replicas.js";
import { Faults } from "./faults.js";
import type { LiveSite } from "./files/live-site.js";
import { send, sendHead, sendParts } from "./http/answers.js";
import { isMultipart, isRead, leave, mostFileBytes, readBody } from "./http/body.js";
import { Downloads } from "./http/downloads.js";
import { isCrossSite, isLooking, speaksJson, withHeaders } from "./http/requests.js";
import type { signerOf } from "./http/signing.js";
import { spansOf } from "./http/spans.js";
import { traceOf } from "./http/trace.js";
import { type Progress, Uploads } from "./http/uploads.js";
import type { InView } from "./in-view.js";
import type { Incoming } from "./incoming.js";
import type { Asked, Asking, PagesListener, PagesOptions } from "./options.js";
import { callsOf } from "./own/steps.js";
import { tell } from "./own/tell.js";
import type { openReplicas, Seen } from "./reading.js";
import type { Exchange, Showing } from "./showing.js";
import type { Undecided } from "./undecided.js";

const day = 86_400_000;

/** What requests are served with. */
interface ServingParts {
  readonly options: PagesOptions;
  readonly database: Database;
  readonly replicas: ReturnType<typeof openReplicas>;
  /** What each browser has saved, and so wants to see. */
  readonly seen: Seen;
  readonly signer: ReturnType<typeof signerOf>;
  readonly site: LiveSite;
  readonly incoming: Incoming;
  readonly showing: Showing;
  readonly inView: InView;
  readonly afterSaves: AfterSaves;
  /** Asks on where nobody knows yet what became of a save. */
  readonly later: Undecided;
  readonly listeners: ReadonlySet<PagesListener>;
  readonly onError: (error: unknown) => void;
}

/** How an upload ended, for who gave it up. */
function endOf(outcome: RecordedRequest["outcome"], isGivenUp: boolean): NonNullable<Progress["ended"]> {
  if (outcome === "saved") return "saved";
  if (outcome === "failed") return "unknown";
  return isGivenUp ? "given-up" : "answered";
}

/** The number that a browser's script has given to an upload. */
function workNumber(request: Exchange["request"]): string | null {
  const given = request.get("quill-work");
  return given !== undefined && /^[0-9a-f]{16,64}$/.test(given) ? given : null;
}

/** A form with files whose parts something else has read. */
class ReadInParts extends Error {
  override readonly name = "ReadInParts";

  constructor(address: string) {
    super(
      `The form that was sent to ${address} has files, and something in your application has read it before the pages could. Mount the pages before what reads multipart/form-data for all addresses.`,
    );
  }
}

type Came = Pick<Handled, "saved" | "undecided" | "failures">;

/** Takes requests through the engine, answers them, and does what is to be done afterwards. */
export class Serving {
  private readonly downloads = new Downloads();
  private readonly uploadTurns = new Downloads();
  private readonly uploads = new Uploads();
  private readonly faults: Faults;

  constructor(private readonly parts: ServingParts) {
    this.faults = new Faults(parts.onError);
  }

  private readonly own: NonNullable<Dependencies["own"]> = (name) => {
    const found = this.parts.site.steps.get(name);
    return found ? callsOf(found.steps, found.source, { isTrial: false }) : null;
  };

  private run(
    matched: MatchedRoute,
    request: PageRequest,
    over: Database,
    { exportTurn = () => "free", work }: Pick<Dependencies, "exportTurn" | "work"> = {},
  ): Promise<Handled> {
    const { signer, options, site } = this.parts;
    return handle(matched, request, {
      database: over,
      exportTurn,
      ...(work ? { work } : {}),
      signer,
      elapsed: () => performance.now(),
      pause: (ms) => new Promise((resolve) => setTimeout(resolve, ms)),
      formAge: options.formAge ?? day,
      pages: () => site.loaded.pages,
      own: this.own,
    });
  }

  /** What a request that only reads is answered from. A program that keeps no cookies can't say what it has saved: it reads from the primary. */
  private async reading(matched: MatchedRoute, request: Exchange["request"]): Promise<Database> {
    const { replicas, database, seen } = this.parts;
    const may = replicas && matched.kind === "page" && mayReadReplica(matched.operation);
    if (!may) return database;
    const last = seen.of(request);
    return speaksJson(request) && last === null ? database : (await replicas.reading(last)).database;
  }

  /** Reads who asks and what they sent: files only of who is known. Where what the application says of a request fails, the body is left for whoever answers. */
  private async read(matched: OwnRoute, request: Exchange["request"], trace: string): Promise<PageRequest> {
    const { incoming, onError } = this.parts;
    const isUpload = matched.kind === "page" && matched.operation === "upload";
    const inParts = (isUpload || (matched.kind === "page" && takesFiles(matched.page))) && isMultipart(request);
    if (inParts && isRead(request)) onError(new ReadInParts(request.originalUrl));
    const known = inParts ? await incoming.actorOf(request) : undefined;
    const sent = await readBody(
      request,
      inParts,
      isUpload && known !== null ? mostFileBytes : undefined,
      known !== null,
    );
    const isForm = sent !== null && "text" in sent;
    const changes = speaksJson(request) && !isForm && !/^(GET|HEAD|OPTIONS)$/.test(request.method);
    // A file's marks are bound to no session, as a form's token is: no other site brings one.
    const isForeign = (changes || isUpload) && isCrossSite(request, incoming.byToken(request));
    const body: PageRequest["body"] = isForeign ? { refused: "cross-site" } : sent;
    try {
      return incoming.requestOf(request, known === undefined ? await incoming.actorOf(request) : known, body, trace);
    } catch (error) {
      leave(request, sent);
      throw error;
    }
  }

  private async answer(matched: OwnRoute, handled: Handled, asked: PageRequest, exchange: Exchange): Promise<void> {
    const { request, response } = exchange;
    const { showing, onError } = this.parts;
    const { recorded } = handled;
    const answer = await showing.forDevelopers(matched, handled, asked.frame);
    if (answer.page && showing.isLaidOut(recorded.page)) {
      const around = await showing.laidOut(answer, recorded.page, asked, exchange).catch((error: unknown) => {
        // What somebody has typed is not lost to an error in what stands around it.
        if (isLooking(request) || response.headersSent) throw error;
        onError(error);
        return showing.withErrors(answer, [error], asked.frame);
      });
      send(response, around);
    } else if (!answer.parts) send(response, answer);
    else if (request.method !== "HEAD") await sendParts(response, answer, answer.parts);
    else {
      await answer.parts[Symbol.asyncIterator]().return?.();
      sendHead(response, answer);
    }
  }

  /** Answers a request to a page. */
  async serve(matched: OwnRoute, exchange: Exchange): Promise<void> {
    const { request, response } = exchange;
    const { replicas, database, seen } = this.parts;
    const trace = traceOf(request.get("traceparent"));
    const asked = await this.read(matched, request, trace.id);
    const number = workNumber(request);
    const operation = matched.kind === "page" ? matched.operation : null;
    if (operation === "uploading" && number !== null) return this.tellProgress(asked.actor, number, response);
    response.setHeader("server-timing", `traceparent;desc="${trace.traceparent}"`);
    // What is only looked at is given up with its browser; what is saved goes on to its end.
    const reads = matched.kind === "page" && !isSaving(matched.operation);
    const waiting = new Waiting();
    response.once("close", () => {
      // An answer that went out whole has nobody who gave it up.
      if (!response.writableFinished) waiting.abort();
    });
    const over = reads ? whileWaitedFor(await this.reading(matched, request), waiting) : database;
    const isUpload = operation === "upload";
    const work = isUpload ? this.uploads.begin(asked.actor?.id ?? "", number, response) : undefined;
    const turns = isUpload ? this.uploadTurns : this.downloads;
    const handled = await this.run(matched, asked, over, {
      exportTurn: (person) => turns.take(person, response),
      ...(work ? { work } : {}),
    });
    if (!waiting.aborted) this.tellFault(matched, handled);
    work?.end(endOf(handled.recorded.outcome, work.isGivenUp()));
    if (replicas && !reads && handled.response.status < 400) seen.note(request, response, await replicas.position());
    try {
      if (!this.showsAgain(matched, asked, handled, exchange)) await this.answer(matched, handled, asked, exchange);
    } finally {
      // Whatever becomes of the answer, what was saved is followed by what is done after a save.
      await this.finish(handled.recorded, handled, (ended) => withHeaders(ended, request));
    }
  }

  /** How far an upload of somebody's has come: asked by the script that waits for it. */
  private tellProgress(actor: PageRequest["actor"], number: string, response: Exchange["response"]): void {
    const body = JSON.stringify(actor ? this.uploads.of(actor.id, number) : {});
    const headers = { "content-type": "application/json", "cache-control": "no-store" };
    send(response, { status: 200, headers, body });
  }

  /** Takes a request of the application's own view through the engine. */
  async runInView(matched: OwnRoute, request: PageRequest, over: Database): Promise<Handled> {
    const handled = await this.run(matched, request, over);
    this.tellFault(matched, handled);
    await this.finish(handled.recorded, handled);
    return handled;
  }

  /** Tells of a request that failed, but for what is told elsewhere: the errors of a page file, and of the application's own code. */
  private tellFault(matched: OwnRoute, { recorded, failures }: Handled): void {
    if (recorded.outcome === "failed" && failures.length === 0 && matched.kind !== "unsound")
      this.faults.tell(recorded);
  }

  /** Whether a form that came back is shown in the view of the application's own that it was sent from. Where that is not there any more, or fails, the form stands alone. */
  private showsAgain(matched: OwnRoute, asked: PageRequest, handled: Handled, exchange: Exchange): boolean {
    const { inView, onError } = this.parts;
    const {
      view,
      response: { status },
    } = handled;
    const at = asked.method === "POST" && !asked.api && view?.what === "form" ? inView.viewOf(asked) : null;
    if (at === null || view?.what !== "form") return false;
    const cameBack = { page: view.form.page.name, key: view.form.key, view, status };
    inView.showAgain(at, cameBack, exchange, (error) => {
      onError(error);
      if (exchange.response.headersSent) exchange.response.destroy();
      else this.answer(matched, handled, asked, exchange).catch(onError);
    });
    return true;
  }

  /** Does what is to be done once a request is answered, and tells whoever listens. */
  private async finish(
    recorded: RecordedRequest,
    { saved, undecided, failures }: Came,
    whole: (recorded: RecordedRequest) => RecordedRequest = (ended) => ended,
  ): Promise<void> {
    const { site, onError, later, afterSaves, listeners } = this.parts;
    // What failed may have failed because a table is no longer what it was.
    if (recorded.outcome === "failed") void site.look();
    for (const failure of failures) onError(failure);
    for (const ask of undecided) later.follow(ask);
    const ended = whole(saved.length > 0 ? await afterSaves.callTold(saved, recorded) : recorded);
    spansOf(ended);
    for (const listener of listeners) tell(() => listener.onRequest?.(ended), onError);
  }

  /** Tells of an address below a page's at which nobody has anything. */
  async tellStrayed(matched: MatchedRoute, request: Exchange["request"]): Promise<void> {
    const { incoming, database } = this.parts;
    const actor = await incoming.actorOf(request);
    const { recorded, ...came } = await this.run(matched, incoming.requestOf(request, actor, null), database);
    await this.finish(recorded, came, (ended) => withHeaders(ended, request));
  }

  /** A request of the application itself, as somebody, without HTTP. */
  async ask({ actor, method, path, json = null, ifMatch = null, undoes = [], asIs = false }: Asked): Promise<Asking> {
    const { site, options, database } = this.parts;
    const matched = route(site.loaded, method, path, "json");
    if (matched.kind === "nowhere" || matched.kind === "strayed") throw new Error(`${path} belongs to no page`);
    const raw = json === null ? null : jsonText(json);
    const request: PageRequest = {
      id: randomUUID(),
      at: new Date(),
      method,
      path,
      query: {},
      body: raw === null ? null : { json: JSON.parse(raw) as unknown, raw },
      api: { ifMatch, ifNoneMatch: null, minimal: false },
      actor,
      undoes,
      asIs,
      session: "",
      said: null,
      signIn: null,
      signInCarries: false,
      frame: {
        base: "",
        application: options.application ?? "Records",
        home: "/",
        language: "en",
        styleSheets: [],
        script: null,
        person: { name: actor.name },
        signOut: null,
      },
    };
    const { response, recorded, ...came } = await this.run(matched, request, database);
    await this.finish(recorded, came);
    const { status, headers, body } = response;
    return {
      status,
      etag: headers.etag ?? headers.ETag ?? null,
      json: body === "" ? null : JSON.parse(body),
      recorded,
      saved: came.saved,
    };
  }
}
