import morphdom from "morphdom";
import { type RefObject, useEffect, useRef, useState } from "react";
import { styled } from "styled-components";
import { useTexts } from "../editing/use-texts.js";

const Page = styled.iframe`
  display: block;
  width: 100%;
  border: solid ${({ theme }) => theme.rule};
  border-width: 0 1px;
  background: ${({ theme }) => theme.leaf};
`;

type Control = HTMLInputElement | HTMLTextAreaElement | HTMLSelectElement;

/** The elements live in another document, whose classes are not this one's: told apart by their names. */
const isControl = (element: Element): element is Control => /^(INPUT|TEXTAREA|SELECT)$/.test(element.tagName);

function isTouched(control: Control): boolean {
  if (control.tagName === "SELECT") {
    const options = [...(control as HTMLSelectElement).options];
    return options.some((option) => option.selected !== option.defaultSelected);
  }
  const input = control as HTMLInputElement;
  return input.type === "checkbox" || input.type === "radio"
    ? input.checked !== input.defaultChecked
    : input.value !== input.defaultValue;
}

/** Brings an element to what it is to be; what somebody has typed in it stays. */
const bring = (from: Element, to: Element): void =>
  void morphdom(from, to, {
    getNodeKey: (node) => {
      const element = node as HTMLElement;
      return element.dataset?.field ? `field ${element.dataset.field}` : element.id || undefined;
    },
    onBeforeElUpdated: (from, to) => {
      if (isControl(from) && isControl(to) && from.type !== "hidden" && isTouched(from)) {
        to.value = from.value;
        if (from.type === "checkbox" || from.type === "radio")
          (to as HTMLInputElement).checked = (from as HTMLInputElement).checked;
      }
      // The height that the Sheet gave a field stays until it is measured anew.
      if (from.dataset.field !== undefined) {
        to.style.minHeight = from.style.minHeight;
        to.style.outline = from.style.outline;
      }
      return !from.isEqualNode(to);
    },
  });

/** Where a page's HTML can be cut: a field's block begins. What stands behind the last one is the form's end. */
const blocks = (html: string): readonly string[] => html.split(/(?=<(?:div|fieldset) class="quill-field)/);

/** The value of the form's token, which is another one each time. */
const token = /(?<=name="quill\.token" value=")[^"]*/;

/** The element that a block begins with, and the HTML of what stands behind it. */
function blockOf(page: Document, html: string): { readonly field: Element | null; readonly behind: string } {
  const template = page.createElement("template");
  template.innerHTML = html;
  const field = template.content.firstElementChild;
  field?.remove();
  return { field, behind: template.innerHTML };
}

/**
 * Brings only the fields that differ to their new HTML. A page may have hundreds of them, and an edit concerns one.
 *
 * @returns whether that is all that differs
 */
function bringFields(page: Document, before: string, after: string): boolean {
  const [was, is] = [blocks(before), blocks(after)];
  const [first = "", last = ""] = [is[0], is.at(-1)];
  const plain = (html: string | undefined): string | undefined => html?.replace(token, "");
  if (was.length !== is.length || plain(was[0]) !== plain(first)) return false;
  if (plain(was.at(-1)) !== plain(last)) return false;
  const changed = is.flatMap((html, index) =>
    index > 0 && index < is.length - 1 && html !== was[index] ? [index] : [],
  );
  const parts = changed.map((index) => ({ was: blockOf(page, was[index] ?? ""), is: blockOf(page, is[index] ?? "") }));
  const found = parts.map(({ was, is }) => {
    const name = (was.field as HTMLElement | null)?.dataset.field ?? "";
    const same = is.field && was.behind === is.behind && (is.field as HTMLElement).dataset.field === name;
    return same ? page.querySelector(`[data-field="${CSS.escape(name)}"]`) : null;
  });
  if (found.includes(null)) return false;
  for (const [index, field] of found.entries()) {
    const to = parts[index]?.is.field;
    if (field && to) bring(field, to);
  }
  const control = page.querySelector<HTMLInputElement>('[name="quill.token"]');
  const value = token.exec(after)?.[0];
  const plainText = page.createElement("textarea");
  plainText.innerHTML = value ?? "";
  control?.setAttribute("value", plainText.value);
  return true;
}

/** Brings a page to its new HTML without loading it anew. */
function morph(page: Document, before: string, html: string): void {
  if (bringFields(page, before, html)) return;
  const next = new DOMParser().parseFromString(html, "text/html");
  page.title = next.title;
  bring(page.body, next.body);
}

/** What the form sends when its button is pressed (HTML, 4.10.21.4). */
function sentBy(form: HTMLFormElement, button: HTMLElement | null): string {
  const pairs = new FormData(form);
  const name = button?.getAttribute("name");
  if (name) pairs.append(name, button?.getAttribute("value") ?? "");
  return new URLSearchParams([...pairs].map(([key, value]): [string, string] => [key, String(value)])).toString();
}

interface PageFrameProps {
  readonly frame: RefObject<HTMLIFrameElement | null>;
  readonly title: string;
  readonly html: string;
  readonly height: number;
  /** The page stands there, for the first time or changed. */
  readonly onShow: () => void;
  /** The form was sent: what it sends. */
  readonly onSend: (form: string) => void;
  /** The fields that are marked, being selected. */
  readonly chosen: readonly string[];
  /** Somebody has gone into a field. */
  readonly onEnter: (field: string) => void;
  /** Whether the page's texts are edited where they stand. */
  readonly isTexts: boolean;
}

/** The real page in a frame: usable, but nothing in it leaves it. */
export function PageFrame({
  frame,
  title,
  html: served,
  height,
  onShow,
  onSend,
  chosen,
  onEnter,
  isTexts,
}: PageFrameProps) {
  // In a frame without scripts nothing has the focus by itself, and the browser says so each time.
  const html = served.replace('<h1 tabindex="-1" autofocus>', '<h1 tabindex="-1">');
  const [first] = useState(html);
  const shown = useRef("");
  const send = useRef(onSend);
  send.current = onSend;
  const enter = useRef(onEnter);
  enter.current = onEnter;
  const marked = chosen.join("\n");

  // biome-ignore lint/correctness/useExhaustiveDependencies: the page's fields are other elements with other HTML
  useEffect(() => {
    for (const field of frame.current?.contentDocument?.querySelectorAll<HTMLElement>("[data-field]") ?? [])
      field.style.outline = marked.split("\n").includes(field.dataset.field ?? "") ? "2px solid #12645a" : "";
  }, [marked, html, frame]);

  useEffect(() => {
    const page = frame.current?.contentDocument;
    if (!page?.body || shown.current === "" || shown.current === html) return;
    const before = shown.current;
    shown.current = html;
    morph(page, before, html);
    onShow();
  }, [html, frame, onShow]);

  const [isLoaded, setLoaded] = useState(false);
  useTexts(isLoaded ? frame : null, isTexts);

  // Beside a pane, or alone, the page has another width.
  useEffect(() => {
    if (!frame.current) return;
    const observer = new ResizeObserver(onShow);
    observer.observe(frame.current);
    return () => observer.disconnect();
  }, [frame, onShow]);

  const loaded = (): void => {
    const page = frame.current?.contentDocument;
    if (!page) return;
    shown.current = first;
    if (html !== first) {
      shown.current = html;
      morph(page, first, html);
    }
    page.addEventListener("submit", (event) => {
      event.preventDefault();
      send.current(sentBy(event.target as HTMLFormElement, event.submitter));
    });
    page.addEventListener("click", (event) => {
      const link = (event.target as Element).closest("a");
      if (link && !link.getAttribute("href")?.startsWith("#")) event.preventDefault();
    });
    page.addEventListener("input", onShow);
    page.addEventListener("focusin", (event) => {
      const field = (event.target as Element).closest<HTMLElement>("[data-field]")?.dataset.field;
      if (field !== undefined) enter.current(field);
    });
    // The window's own keys are heard in the page, too: Go to, undo, the next record.
    page.addEventListener("keydown", (event) => {
      if (!event.ctrlKey && !event.altKey && !event.metaKey && event.key !== "Escape") return;
      const { key, code, ctrlKey, altKey, metaKey, shiftKey } = event;
      const told = new KeyboardEvent("keydown", {
        key,
        code,
        ctrlKey,
        altKey,
        metaKey,
        shiftKey,
        bubbles: true,
        cancelable: true,
      });
      frame.current?.dispatchEvent(told);
      if (told.defaultPrevented) event.preventDefault();
    });
    onShow();
    setLoaded(true);
  };

  return (
    <Page
      ref={frame}
      title={title}
      srcDoc={first}
      sandbox="allow-same-origin allow-forms"
      style={{ height }}
      onLoad={loaded}
    />
  );
}
