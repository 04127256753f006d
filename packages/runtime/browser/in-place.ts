/**
 * A list with its form, and rows that are edited in their places, without loading the page: what would be loaded is fetched, and its content
 * put in the place of the content that is there. What the server answers is the same as without this script.
 */

/** The parts of a document that are ours: one, or several where an application puts them into a layout of its own. */
const partsIn = (of: Document): readonly HTMLElement[] => [...of.querySelectorAll<HTMLElement>("[data-quill]")];

const isInPlace = (parts: readonly HTMLElement[]): boolean =>
  parts.some((part) => part.querySelector("[data-in-place]") !== null);

/** Shows a document in the place of the one that is there. @returns whether it could be */
async function showAnswer(response: Response, isMove: boolean): Promise<boolean> {
  const isPage = response.headers.get("content-type")?.startsWith("text/html") === true;
  const next = isPage ? new DOMParser().parseFromString(await response.text(), "text/html") : null;
  const [theirs, ours] = [next ? partsIn(next) : [], partsIn(document)];
  if (!isInPlace(theirs) || theirs.length !== ours.length) return false;
  for (const [index, part] of ours.entries()) part.replaceChildren(...(theirs[index]?.childNodes ?? []));
  const title = next?.title;
  if (title) document.title = title;
  if (isMove && response.url !== location.href) history.pushState(null, "", response.url);
  document.dispatchEvent(new Event("quill:shown"));
  const find = (what: string): HTMLElement | null => document.querySelector(`[data-quill] ${what}`);
  const summary = find(".quill-summary");
  const said = find(".quill-said");
  const heading = find(".quill-beside-form h2") ?? find("h1");
  const place = summary ?? said ?? heading;
  place?.setAttribute("tabindex", "-1");
  place?.focus({ preventScroll: place === heading });
  return true;
}

/** Whether what was typed may be left: asked by `changed.ts`. */
const mayLeave = (): boolean => document.dispatchEvent(new Event("quill:leave", { cancelable: true }));

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
async function goOn(address: string, isLatest: () => boolean): Promise<void> {
  const isShown = await fetch(address, { headers: { accept: "text/html" } })
    .then((response) => !isLatest() || showAnswer(response, true))
    .catch(() => false);
  if (!isShown && isLatest()) location.assign(address);
}

async function move(address: string): Promise<void> {
  await busily((isLatest) => goOn(address, isLatest));
}

/** Sends a form as the browser would, where it can't be done without loading. */
function sendPlainly(form: HTMLFormElement, submitter: HTMLElement | null): void {
  if (submitter instanceof HTMLButtonElement && submitter.name !== "") {
    const pressed = document.createElement("input");
    pressed.type = "hidden";
    pressed.name = submitter.name;
    pressed.value = submitter.value;
    form.append(pressed);
  }
  form.submit();
}

/** Saves a form and asks for no page: the answer says where to go on to. Null where it was not saved: then the page says why. */
async function savedTo(action: string, body: URLSearchParams): Promise<string | null> {
  const response = await fetch(action, { method: "POST", body, headers: { accept: "application/json" } });
  if (!response.ok) return null;
  const { location: next } = (await response.json()) as { location?: string };
  return next || location.href;
}

async function send(form: HTMLFormElement, submitter: HTMLElement | null): Promise<void> {
  const pairs = [...new FormData(form, submitter)].flatMap(([name, value]): [string, string][] =>
    typeof value === "string" ? [[name, value]] : [],
  );
  const body = new URLSearchParams(pairs);
  await busily(async (isLatest) => {
    try {
      const next = form.closest(".quill-beside") ? await savedTo(form.action, body) : null;
      // What is saved is never sent again, whatever becomes of the way on.
      if (next !== null) return await goOn(next, isLatest);
      const response = await fetch(form.action, { method: "POST", body, headers: { accept: "text/html" } });
      if (!isLatest() || (await showAnswer(response, response.redirected))) return;
      // A notice, or a sign-in: a page of its own, to which the form is sent once more, since nothing of it was saved.
      if (response.redirected) location.assign(response.url);
      else sendPlainly(form, submitter);
    } catch {
      sendPlainly(form, submitter);
    }
  });
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
  if (mayLeave()) void move(link.href);
});

document.addEventListener("submit", (event) => {
  const form = event.target instanceof HTMLFormElement ? event.target : null;
  // Files are sent by the browser itself.
  if (!form?.closest("[data-in-place]") || event.defaultPrevented || form.enctype === "multipart/form-data") return;
  event.preventDefault();
  if (form.method === "post") void send(form, event.submitter);
  else if (mayLeave()) {
    const query = new URLSearchParams(
      [...new FormData(form)].flatMap(([name, value]): [string, string][] =>
        typeof value === "string" && value !== "" ? [[name, value]] : [],
      ),
    );
    void move(`${form.action.replace(/\?.*$/, "")}?${query}`);
  }
});

// Back and forward: the address has changed already, what is there has not.
addEventListener("popstate", () => {
  if (isInPlace(partsIn(document))) location.reload();
});
