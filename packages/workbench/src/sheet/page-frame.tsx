import morphdom from "morphdom";
import { type RefObject, useEffect, useRef, useState } from "react";
import { styled } from "styled-components";

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
  return input.type === "checkbox" ? input.checked !== input.defaultChecked : input.value !== input.defaultValue;
}

/** Brings a page to its new HTML without loading it anew; what somebody has typed in it stays. */
function morph(page: Document, html: string): void {
  const next = new DOMParser().parseFromString(html, "text/html");
  page.title = next.title;
  morphdom(page.body, next.body, {
    getNodeKey: (node) => {
      const element = node as HTMLElement;
      return element.dataset?.field ? `field ${element.dataset.field}` : element.id || undefined;
    },
    onBeforeElUpdated: (from, to) => {
      if (isControl(from) && isControl(to) && from.type !== "hidden" && isTouched(from)) {
        to.value = from.value;
        if (from.type === "checkbox") (to as HTMLInputElement).checked = (from as HTMLInputElement).checked;
      }
      // A height that the Sheet gave a field is measured anew after this.
      return !from.isEqualNode(to);
    },
  });
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
}

/** The real page in a frame: usable, but nothing in it leaves it. */
export function PageFrame({ frame, title, html, height, onShow, onSend }: PageFrameProps) {
  const [first] = useState(html);
  const shown = useRef("");
  const send = useRef(onSend);
  send.current = onSend;

  useEffect(() => {
    const page = frame.current?.contentDocument;
    if (!page?.body || shown.current === "" || shown.current === html) return;
    shown.current = html;
    morph(page, html);
    onShow();
  }, [html, frame, onShow]);

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
      morph(page, html);
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
    onShow();
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
