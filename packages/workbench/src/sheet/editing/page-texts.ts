import type { Edit } from "@loyal-quill/core";
import { type Content, isPlain, textOf } from "./settings.js";

/** A text of a page that its file can say otherwise. */
interface OwnText {
  readonly element: HTMLElement;
  readonly path: readonly string[];
}

/** What the texts of a page's own are on its form, and on its list. */
const textsOfForm = (isNew: boolean): Readonly<Record<string, readonly string[]>> => ({
  h1: isNew ? ["texts", "new"] : ["title"],
  ".quill-back > a:first-of-type": ["plural"],
  'button[name="quill.save"]': ["texts", isNew ? "add" : "save"],
  "a.quill-removal": ["texts", "delete"],
});
const textsOfList: Readonly<Record<string, readonly string[]>> = {
  h1: ["plural"],
  ".quill-introduction": ["texts", "introduction"],
  ".quill-empty": ["texts", "empty"],
  "a.quill-make": ["texts", "new"],
};
const textsOfField: Readonly<Record<string, string>> = {
  "label, legend, .quill-label": "label",
  ".quill-help": "help",
  ".quill-unit": "unit",
};

/** The texts that are in a page, each with its place in the file. */
function ownTexts(page: Document): readonly OwnText[] {
  const find = (within: ParentNode, what: string): HTMLElement[] => [...within.querySelectorAll<HTMLElement>(what)];
  const form = page.querySelector<HTMLFormElement>("form.quill-sheet");
  const isForm = page.querySelector("[data-field]") !== null && page.querySelector(".quill-search") === null;
  const ofPage = isForm ? textsOfForm(/\/new(\?|$)/.test(form?.getAttribute("action") ?? "")) : textsOfList;
  return [
    ...Object.entries(ofPage).flatMap(([what, path]) =>
      find(page, what)
        .slice(0, 1)
        .map((element) => ({ element, path })),
    ),
    ...(isForm ? find(page, "[data-field]") : []).flatMap((block) =>
      Object.entries(textsOfField).flatMap(([what, setting]) =>
        find(block, what)
          .slice(0, 1)
          .map((element) => ({ element, path: ["fields", block.dataset.field ?? "", setting] })),
      ),
    ),
  ];
}

/** What the file says at a place; undefined where it says nothing. */
function inFile(content: Content | undefined, path: readonly string[]): string | undefined {
  const [part = "", name = "", setting = ""] = path;
  if (part === "fields") {
    const entries = Array.isArray(content?.fields) ? (content.fields as unknown[]) : [];
    const entry = entries.find((each) => isPlain(each) && isPlain(each[name])) as Content | undefined;
    const value = (entry?.[name] as Content | undefined)?.[setting];
    return value === undefined ? undefined : textOf(value);
  }
  const within = path.length === 1 ? content : content?.[part];
  const value = isPlain(within) ? within[path.at(-1) ?? ""] : undefined;
  return value === undefined ? undefined : textOf(value);
}

/** What the texts need that are edited on their page. */
interface TextEditing {
  readonly content: () => Content | undefined;
  readonly edit: (edits: readonly Edit[], what: string) => void;
}

/** Puts an input in the place of a text, with what the file says there. Enter and leaving it keep what is typed, Escape does not. */
function type({ element, path }: OwnText, { content, edit }: TextEditing): void {
  const page = element.ownerDocument;
  const before = inFile(content(), path) ?? element.textContent ?? "";
  const input = page.createElement("input");
  Object.assign(input, { value: before });
  Object.assign(input.style, { font: "inherit", width: "max(12rem, 60%)" });
  input.dataset.typing = "";
  input.setAttribute("aria-label", path.join(" "));
  const { display } = element.style;
  element.style.display = "none";
  element.after(input);
  input.focus();
  input.select();
  let isOver = false;
  const end = (isKept: boolean): void => {
    if (isOver) return;
    isOver = true;
    const typed = input.value.trim();
    input.remove();
    element.style.display = display;
    element.focus();
    if (isKept && typed !== before)
      edit([{ do: "set", path: [...path], value: typed === "" ? undefined : typed }], path.join(" "));
  };
  input.addEventListener("blur", () => end(true));
  input.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key !== "Enter" && event.key !== "Escape") return;
    event.preventDefault();
    end(event.key === "Enter");
  });
}

/**
 * Lets the texts of a page be edited where they stand.
 *
 * @returns ends it
 */
export function editTexts(page: Document, editing: TextEditing): () => void {
  const mark = (): void => {
    for (const { element, path } of ownTexts(page)) {
      if (element.dataset.ownText === path.join(" ")) continue;
      element.dataset.ownText = path.join(" ");
      element.tabIndex = 0;
      // A sheet of styles would be refused by the page's own policy (CSP, 6.6.2.3).
      Object.assign(element.style, { outline: "1px dashed #75828f", outlineOffset: "2px", cursor: "text" });
    }
  };
  const textAt = (target: EventTarget | null): OwnText | undefined => {
    const element = (target as Element | null)?.closest?.<HTMLElement>("[data-own-text]");
    return ownTexts(page).find((each) => each.element === element);
  };
  const onClick = (event: Event): void => {
    const found = textAt(event.target);
    if (!found) return;
    event.preventDefault();
    event.stopPropagation();
    type(found, editing);
  };
  const onKeyDown = (event: KeyboardEvent): void => {
    if (event.key === "Enter" && (event.target as HTMLElement).dataset.ownText !== undefined) onClick(event);
  };
  mark();
  const observer = new MutationObserver(mark);
  // Where the page is brought to new HTML, the marks go.
  observer.observe(page.body, { childList: true, subtree: true, attributeFilter: ["data-own-text"] });
  page.addEventListener("click", onClick, true);
  page.addEventListener("keydown", onKeyDown, true);
  return () => {
    observer.disconnect();
    page.removeEventListener("click", onClick, true);
    page.removeEventListener("keydown", onKeyDown, true);
    for (const element of page.querySelectorAll<HTMLElement>("[data-own-text]")) {
      delete element.dataset.ownText;
      element.removeAttribute("tabindex");
      Object.assign(element.style, { outline: "", outlineOffset: "", cursor: "" });
    }
  };
}
