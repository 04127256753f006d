/**
 * What is sent and shown without loading the page. A form goes to the server once, as it would without this script, and the same answer is shown in
 * the place of the page: refused, in conflict, in doubt, signed out. What is saved leads to where the answer leads. Where there is no answer, nothing
 * that was typed is lost. A list with its form goes on in the same way from one address to the next.
 */

import { itself } from "./itself.js";

interface Words {
  readonly sending: string;
  readonly away: string;
  readonly strange: string;
  readonly kept: string;
  readonly open: string;
}

/** Says to the server that the answer is shown in place: then a save answers where it leads, instead of leading there. */
const headers = { accept: "text/html", "quill-in-place": "?1" };

/** The parts of a document that are ours: one, or several where an application puts them into a layout of its own. */
const partsIn = (of: Document): readonly HTMLElement[] => [...of.querySelectorAll<HTMLElement>("[data-quill]")];

const isInPlace = (parts: readonly HTMLElement[]): boolean =>
  parts.some((part) => part.querySelector("[data-in-place]") !== null);

const find = (what: string): HTMLElement | null =>
  [...document.querySelectorAll<HTMLElement>(`[data-quill] ${what}`)].find((each) => each.checkVisibility()) ?? null;

const inputsIn = (within: ParentNode): HTMLInputElement[] => [...within.querySelectorAll("input")];

/** The field in the place of whose text the stored value is wanted: what is only here of it is to go. */
let renewed: Element | null = null;

/** What a browser can't be given anew: files that were chosen, and dates that were begun and not finished. */
const isOnlyHere = (input: HTMLInputElement): boolean =>
  ((input.files?.length ?? 0) > 0 || input.validity.badInput) && !renewed?.contains(input);

/** An element that is only here, and which it is of those with its name. */
type Kept = readonly [input: HTMLInputElement, place: number];

const isLike =
  (old: HTMLInputElement) =>
  ({ name, type }: HTMLInputElement): boolean =>
    name === old.name && type === old.type;

const keptIn = (part: ParentNode): Kept[] =>
  inputsIn(part)
    .filter(isOnlyHere)
    .map((input) => [input, inputsIn(document).filter(isLike(input)).indexOf(input)]);

/** Puts an element that was there in the place of its like, with what the answer says of it. */
function keep([old, place]: Kept): void {
  const next = inputsIn(document).filter(isLike(old))[place];
  if (!next) return;
  for (const name of ["id", "class", "aria-invalid", "aria-describedby", "aria-required"]) {
    const value = next.getAttribute(name);
    if (value === null) old.removeAttribute(name);
    else old.setAttribute(name, value);
  }
  next.replaceWith(old);
}

/** Shows a document in the place of the one that is there. @returns whether it could be */
function show(next: Document): boolean {
  const [theirs, ours] = [partsIn(next), partsIn(document)];
  if (theirs.length === 0 || theirs.length !== ours.length) return false;
  const kept = ours.flatMap(keptIn);
  for (const [index, part] of ours.entries()) part.replaceChildren(...(theirs[index]?.childNodes ?? []));
  for (const each of kept) keep(each);
  if (next.title) document.title = next.title;
  document.dispatchEvent(new Event("quill:shown"));
  return true;
}

/** The part of a view of the application's own that something stands in: it is shown anew alone, whatever is typed in the others. */
const partOf = (element: Element): string => element.closest<HTMLElement>("[data-quill]")?.dataset.quill ?? "";

/** Shows one part of a view anew. @returns the part, or null where the answer has none of this name */
function showPart(next: Document, name: string): HTMLElement | null {
  const named = (of: Document): HTMLElement | undefined => partsIn(of).find(({ dataset }) => dataset.quill === name);
  const [theirs, ours] = [named(next), named(document)];
  if (!theirs || !ours) return null;
  const kept = keptIn(ours);
  ours.replaceChildren(...theirs.childNodes);
  for (const each of kept) keep(each);
  document.dispatchEvent(new Event("quill:shown"));
  return ours;
}

/** Shows what a save in one part of a view has led to; where it can't be had in place, it is loaded. */
async function goOnIn(part: string, address: string, isLatest: () => boolean): Promise<void> {
  const response = await fetch(address, { headers: { accept: "text/html" } }).catch(() => null);
  const next = response && (await parsed(response));
  if (!isLatest()) return;
  const shown = next && showPart(next, part);
  if (shown) focus(shown.querySelector<HTMLElement>(".quill-said") ?? shown, true);
  else leadTo(address);
}

const focus = (place: HTMLElement | null, preventScroll = false): void => {
  if (!place) return;
  if (!place.matches("input, select, textarea, button, a[href]")) place.setAttribute("tabindex", "-1");
  place.focus({ preventScroll });
};

const parsed = async (response: Response): Promise<Document | null> =>
  response.headers.get("content-type")?.startsWith("text/html") === true
    ? new DOMParser().parseFromString(await response.text(), "text/html")
    : null;

/** Whether what was typed may be left: asked by `changed.ts`. */
const mayLeave = (): boolean => document.dispatchEvent(new Event("quill:leave", { cancelable: true }));

/** Counts what is typed. */
let typed = 0;
document.addEventListener("input", () => {
  typed += 1;
});

/** Whether what was typed since now may be left, when something else is to be shown: it takes a while until it is there. */
function mayLeaveLater(): () => boolean {
  let before = typed;
  return () => {
    if (typed !== before && !mayLeave()) return false;
    before = typed;
    return true;
  };
}

let turn = 0;

/** Does what takes a while. What is asked for later goes before: an answer that comes after it is not shown any more. */
async function busily(work: (isLatest: () => boolean) => Promise<void>): Promise<void> {
  const own = ++turn;
  const isLatest = (): boolean => own === turn;
  for (const part of partsIn(document)) part.setAttribute("aria-busy", "true");
  try {
    await work(isLatest);
  } finally {
    if (isLatest()) for (const part of partsIn(document)) part.removeAttribute("aria-busy");
  }
}

/** Shows what is at an address; where that can't be shown in place, it is loaded. */
async function goOn(address: string, isLatest: () => boolean, maySee: () => boolean = () => true): Promise<void> {
  try {
    const response = await fetch(address, { headers: { accept: "text/html" } });
    const next = await parsed(response);
    if (!isLatest() || !maySee()) return;
    if (next && isInPlace(partsIn(next)) && show(next)) {
      if (response.url !== location.href) history.pushState(null, "", response.url);
      const named = document.getElementById(new URL(address, location.href).hash.slice(1));
      focus(named ?? find("[autofocus]") ?? find(".quill-summary") ?? find("h1"));
      return;
    }
  } catch {
    // Loading it tells why it can't be had.
  }
  if (isLatest() && maySee()) leadTo(address);
}

/** Whether another page is being loaded. */
let leaving = false;
addEventListener("pageshow", () => {
  leaving = false;
});

/** Loads an address. What was typed is saved, so nobody is asked. */
function leadTo(address: string): void {
  leaving = true;
  document.dispatchEvent(new Event("quill:leaving"));
  location.assign(address);
}

const wordsOf = (form: HTMLFormElement): Words => JSON.parse(itself(form).dataset.send ?? "{}") as Words;

/** Says something at the buttons of a form, in the place of what was said there before. */
function tell(form: HTMLFormElement, role: "alert" | "status" | null, ...content: readonly (string | Node)[]): void {
  itself(form).querySelector(".quill-sending")?.remove();
  if (role === null) return;
  // What the answer before it said, that nothing was saved, may not be so any more.
  if (role === "alert")
    for (const part of partsIn(document))
      if ((part.dataset.quill ?? "") === partOf(form)) part.querySelector(".quill-summary")?.remove();
  const line = document.createElement("p");
  line.className = role === "alert" ? "quill-problem quill-sending" : "quill-sending";
  line.setAttribute("role", role);
  line.append(...content);
  const actions = itself(form).querySelector(":scope > .quill-actions");
  if (actions) actions.before(line);
  else itself(form).prepend(line);
}

/** The dates that were begun and not finished, by the rows in which they stand: a browser sends nothing for them (HTML, 4.10.5.1.7). */
function unfinishedIn(form: HTMLFormElement): [string, string][] {
  const rows = new Map<string, string[]>();
  for (const { name, validity } of inputsIn(itself(form))) {
    if (!validity.badInput) continue;
    const [, row = "", own = ""] = /^(r\d+:)?(.*)$/s.exec(name) ?? [];
    rows.set(row, [...(rows.get(row) ?? []), own]);
  }
  return [...rows].map(([row, names]) => [`${row}quill.unfinished`, JSON.stringify(names)]);
}

/** A form as the browser would send it, files included. */
function bodyOf(form: HTMLFormElement, submitter: HTMLElement | null): FormData | URLSearchParams {
  const sent = new FormData(form, submitter);
  // By the enter key in the place of a choice that is searched the form is to be saved; without this script it would be searched.
  const isNamed = submitter instanceof HTMLButtonElement && submitter.name !== "";
  if (!isNamed && itself(form).querySelector("[role=combobox]")) sent.append("quill.save", "");
  for (const [name, value] of unfinishedIn(form)) sent.append(name, value);
  if (itself(form).enctype === "multipart/form-data") return sent;
  return new URLSearchParams(
    [...sent].flatMap(([name, value]): [string, string][] => (typeof value === "string" ? [[name, value]] : [])),
  );
}

/** Where somebody was in a form, to be there again when it is shown anew. */
function placeIn(form: HTMLFormElement, submitter: HTMLElement | null): () => HTMLElement | null {
  const block = submitter?.closest<HTMLElement>("[data-field]")?.dataset.field;
  const row = submitter?.closest("tr")?.querySelector<HTMLInputElement>("[name$='quill.token']")?.name;
  const name = submitter instanceof HTMLButtonElement && submitter.formNoValidate ? block : undefined;
  const { action } = itself(form);
  return () => {
    const again = [...document.forms]
      .map(itself)
      .find((each) => each.action === action && each.dataset.send !== undefined);
    if (!again || name === undefined) return null;
    const within = row ? again.querySelector(`[name="${CSS.escape(row)}"]`)?.closest("tr") : again;
    const blocks = [...(within?.querySelectorAll<HTMLElement>("[data-field]") ?? [])];
    return (
      blocks
        .find(({ dataset }) => dataset.field === name)
        ?.querySelector<HTMLElement>("input:not([type=hidden]), select:not([hidden]), textarea") ?? null
    );
  };
}

/** Shows an answer that saves nothing, and goes to what is to be put right, or to where somebody was. */
function showAnswer(next: Document, status: number, place: () => HTMLElement | null): void {
  const { scrollX, scrollY } = window;
  // A document that is not built as this one is takes its place whole, as the browser itself would have it; so does one for nobody: what is
  // around the form still names who was signed in.
  if (status === 401 || !show(next)) {
    document.open();
    document.write(`<!doctype html>${next.documentElement.outerHTML}`);
    document.close();
    focus(find("[autofocus]") ?? find("h1"));
    return;
  }
  scrollTo(scrollX, scrollY);
  const was = place();
  if (was) focus(was, true);
  else focus(find("[aria-invalid=true]") ?? find("[autofocus]") ?? find(".quill-summary") ?? find("h1"));
}

/** A notice that has nothing of the form in it is said at the form, which stays with what was typed; so does a whole list, of which a notice has one row at most. */
function isNoticeOnly(form: HTMLFormElement, next: Document, { status }: Response): boolean {
  if (status < 400 || status === 401 || next.querySelector("[data-quill] form")) return false;
  if (status === 413 || status === 429 || status >= 500) return true;
  const isTyped = itself(form).querySelector("input:not([type=hidden]), textarea, select") !== null;
  return isTyped && (itself(form).matches(".quill-rows") || !next.querySelector("[data-quill] .quill-typed"));
}

/** Something else has answered: a proxy, or a sign-in of the application's. */
function tellStrange(form: HTMLFormElement, { status, url, redirected }: Response): void {
  const words = wordsOf(form);
  const said = `${words.strange.replace("{status}", String(status))} ${words.kept}`;
  const link = document.createElement("a");
  Object.assign(link, { href: url, target: "_blank", rel: "noopener", textContent: words.open });
  tell(form, "alert", said, ...(redirected ? [" ", link] : []));
}

/** In a view of several forms whoever is signed out signs in elsewhere, and presses again: what was typed in the others stays as well. */
function tellSignedOut(form: HTMLFormElement, next: Document): void {
  const heading = next.querySelector("[data-quill] h1, h1")?.textContent ?? "";
  const way = next.querySelector<HTMLAnchorElement>("[data-quill] a[target=_blank]");
  tell(form, "alert", `${heading}. ${wordsOf(form).kept}`, ...(way ? [" ", document.importNode(way, true)] : []));
}

/** What is said of work that takes long: how far it has come, and how it ended when it was cancelled. */
interface WorkWords {
  readonly reading: string;
  readonly checking: string;
  readonly saving: string;
  readonly stop: string;
  readonly cancelled: string;
  readonly saved: string;
  readonly unknown: string;
}

interface Progress {
  readonly phase?: "reading" | "checking" | "saving";
  readonly done?: number;
  readonly of?: number;
  readonly ended?: "saved" | "given-up" | "answered" | "unknown";
}

const hex = (bytes: Uint8Array): string => [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");
const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** Long work of one form: it is asked how far it has come, and it can be cancelled until it is saved. */
class Work {
  readonly headers = { "quill-work": hex(crypto.getRandomValues(new Uint8Array(16))) };
  readonly abort = new AbortController();
  private readonly words: WorkWords;
  private timer: ReturnType<typeof setInterval> | undefined;

  constructor(private readonly form: HTMLFormElement) {
    this.words = JSON.parse(itself(form).dataset.work ?? "{}") as WorkWords;
  }

  private async ask(): Promise<Progress> {
    const asked = { accept: "application/json", ...this.headers };
    const response = await fetch(itself(this.form).action, { headers: asked }).catch(() => null);
    return response?.ok ? ((await response.json().catch(() => ({}))) as Progress) : {};
  }

  /** Shows how far it has come, until it is over. */
  begin(): void {
    const bar = document.createElement("progress");
    bar.setAttribute("aria-label", wordsOf(this.form).sending);
    const said = document.createElement("span");
    said.textContent = wordsOf(this.form).sending;
    const button = document.createElement("button");
    button.type = "button";
    button.className = "quill-minor";
    button.textContent = this.words.stop;
    button.addEventListener("click", () => this.abort.abort());
    tell(this.form, "status", bar, " ", said, " ", button);
    this.timer = setInterval(() => {
      void this.ask().then(({ phase, done = 0, of = 0 }) => {
        if (!phase) return;
        Object.assign(bar, { max: Math.max(of, 1), value: done });
        said.textContent = this.words[phase].replace("{done}", String(done)).replace("{of}", String(of));
      });
    }, 400);
  }

  end(): void {
    clearInterval(this.timer);
  }

  /** How it ended after it was cancelled: it may have been saved just before. */
  async becameOfIt(): Promise<string> {
    for (let turn = 0; turn < 40; turn++) {
      const { ended, phase } = await this.ask();
      if (ended === "saved") return this.words.saved;
      if (ended === "unknown") return this.words.unknown;
      if (ended) return this.words.cancelled;
      if (!phase && turn > 4) return this.words.unknown;
      await wait(250);
    }
    return this.words.unknown;
  }
}

/** Nothing can be typed while a form is sent, since it would not be in it. @returns ends that, and goes back to where somebody was */
function closed(form: HTMLFormElement): () => void {
  const [was, blocks] = [document.activeElement, itself(form).querySelectorAll<HTMLElement>("[data-field]")];
  for (const block of blocks) block.inert = true;
  return () => {
    for (const block of blocks) block.inert = false;
    if (was instanceof HTMLElement && was.isConnected && document.activeElement === document.body) focus(was, true);
  };
}

let sending: HTMLFormElement | null = null;

async function send(form: HTMLFormElement, submitter: HTMLElement | null): Promise<void> {
  // A second press of the button sends nothing a second time.
  if (sending && itself(sending).isConnected) return;
  sending = form;
  const isTaken = submitter instanceof HTMLButtonElement && submitter.name.endsWith("quill.take");
  renewed = isTaken ? submitter.closest("[data-field]") : null;
  const place = placeIn(form, submitter);
  const body = bodyOf(form, submitter);
  const open = closed(form);
  tell(form, null);
  const work = itself(form).dataset.work === undefined ? null : new Work(form);
  const slow = setTimeout(() => (work ? work.begin() : tell(form, "status", wordsOf(form).sending)), 600);
  try {
    await busily(async (isLatest) => {
      const sent = { method: "POST", body, headers: { ...headers, ...work?.headers } };
      const response = await fetch(itself(form).action, work ? { ...sent, signal: work.abort.signal } : sent);
      const to = response.status === 200 ? response.headers.get("location") : null;
      // What is saved is never sent again, whatever becomes of the way on.
      const part = partOf(form);
      if (to !== null && part !== "" && new URL(to, location.href).pathname === location.pathname)
        return goOnIn(part, to, isLatest);
      if (to !== null) return itself(form).closest("[data-in-place]") ? goOn(to, isLatest) : leadTo(to);
      const next = await parsed(response);
      if (!isLatest()) return;
      if (next && part !== "" && response.status === 401) return tellSignedOut(form, next);
      const again = next && part !== "" ? showPart(next, part) : null;
      if (again) {
        focus(again.querySelector<HTMLElement>("[aria-invalid=true], [autofocus], .quill-summary"));
        return;
      }
      if (!next || partsIn(next).length === 0) tellStrange(form, response);
      else if (isNoticeOnly(form, next, response))
        tell(form, "alert", next.querySelector("[data-quill] h1")?.textContent ?? "", ". ", wordsOf(form).kept);
      else showAnswer(next, response.status, place);
    });
  } catch {
    work?.end();
    // There is no network, or no server: the page stays as it is, and is sent again when somebody says so.
    tell(form, "alert", work?.abort.signal.aborted ? await work.becameOfIt() : wordsOf(form).away);
  } finally {
    clearTimeout(slow);
    work?.end();
    // While another page is loaded it stays closed, until somebody comes back to it.
    if (leaving) addEventListener("pageshow", open, { once: true });
    else open();
    itself(form).querySelector(".quill-sending[role=status]")?.remove();
    sending = null;
    renewed = null;
  }
}

const isPlainClick = (event: MouseEvent): boolean =>
  event.button === 0 && !event.metaKey && !event.ctrlKey && !event.shiftKey && !event.altKey;

document.addEventListener("click", (event) => {
  const link =
    event.target instanceof Element ? event.target.closest<HTMLAnchorElement>(".quill-beside a[href]") : null;
  if (!link || event.defaultPrevented || !isPlainClick(event) || link.hasAttribute("download") || link.target !== "")
    return;
  const to = new URL(link.href);
  if (to.origin !== location.origin || (to.hash !== "" && to.pathname === location.pathname)) return;
  event.preventDefault();
  if (!mayLeave()) return;
  const maySee = mayLeaveLater();
  void busily((isLatest) => goOn(link.href, isLatest, maySee));
});

document.addEventListener("submit", (event) => {
  const form = event.target instanceof HTMLFormElement ? event.target : null;
  if (!form || event.defaultPrevented) return;
  if (itself(form).method === "post" && itself(form).dataset.send !== undefined) {
    event.preventDefault();
    void send(form, event.submitter);
  } else if (itself(form).method === "get" && itself(form).closest("[data-in-place]")) {
    event.preventDefault();
    if (!mayLeave()) return;
    const query = new URLSearchParams(
      [...new FormData(form)].flatMap(([name, value]): [string, string][] =>
        typeof value === "string" && value !== "" ? [[name, value]] : [],
      ),
    );
    const maySee = mayLeaveLater();
    void busily((isLatest) => goOn(`${itself(form).action.replace(/\?.*$/, "")}?${query}`, isLatest, maySee));
  }
});

/** The page's own messages are what people see, not the browser's. */
function begin(): void {
  for (const form of document.querySelectorAll<HTMLFormElement>("form[data-send]")) itself(form).noValidate = true;
}

begin();
document.addEventListener("quill:shown", begin);

// Back and forward: the address has changed already, what is there has not.
addEventListener("popstate", () => {
  if (isInPlace(partsIn(document))) location.reload();
});

// A form that went through a sign-in goes back to where it was refused.
for (const form of document.querySelectorAll<HTMLFormElement>("form[data-resend]")) itself(form).requestSubmit();
