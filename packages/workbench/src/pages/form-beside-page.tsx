import type { AdoptAnswer } from "@loyal-quill/server/api";
import { type RefObject, useCallback, useEffect, useRef, useState } from "react";
import { styled } from "styled-components";
import { useTrial } from "../api/queries.js";
import { Waiting } from "../parts/states.js";

const Beside = styled.div`
  position: relative;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 5rem minmax(0, 1fr);
  margin-top: ${({ theme }) => theme.space(5)};
  iframe { width: 100%; height: 36rem; border: 1px solid ${({ theme }) => theme.edge}; background: #ffffff; }
  > div:last-of-type { grid-column: 3; }
  > svg { position: absolute; inset: 0; width: 100%; height: 100%; pointer-events: none; fill: none; stroke: ${({ theme }) => theme.soft}; }
  > svg .pointed { stroke: ${({ theme }) => theme.verdigris}; stroke-width: 3; }
  > svg .unsure { stroke-dasharray: 4 4; }
  @media (max-width: 999px) {
    grid-template-columns: minmax(0, 1fr);
    > div:last-of-type { grid-column: 1; }
    > svg { display: none; }
  }
`;

/** A page of somebody else's: nothing of it is loaded from elsewhere, whatever its own policy says. */
function sealed(html: string): string {
  const page = document.implementation.createHTMLDocument();
  const policy = page.createElement("meta");
  policy.httpEquiv = "Content-Security-Policy";
  policy.content = "default-src data:; style-src data: 'unsafe-inline'";
  return `${policy.outerHTML}${html}`;
}

/** The control of a form that is seen under a name. */
const controlNamed = (page: Document, name: string): HTMLElement | undefined =>
  [...page.getElementsByName(name)].find((each) => each.getAttribute("type") !== "hidden");

/** Where a column stands on a page of ours. */
const fieldOf = (page: Document, column: string): HTMLElement | null =>
  page.querySelector<HTMLElement>(`[data-field="${CSS.escape(column)}"]`);

/** Shows at controls which findings are about them, by their numbers in the list. */
function noteFindings(page: Document, findings: AdoptAnswer["findings"]): void {
  for (const old of page.querySelectorAll("[data-quill-finding]")) old.remove();
  const numbers = new Map<string, number[]>();
  for (const [index, { control, in: where }] of findings.entries())
    if (control !== null && where === "form") numbers.set(control, [...(numbers.get(control) ?? []), index + 1]);
  for (const [name, found] of numbers) {
    const note = page.createElement("span");
    note.dataset.quillFinding = "";
    const isError = found.some((number) => findings[number - 1]?.severity === "error");
    note.textContent = `${isError ? "✕" : "△"} ${found.join(", ")}`;
    note.style.cssText = `color: ${isError ? "#b0301c" : "#7a5200"}; font: bold 13px sans-serif; margin-inline-start: 6px`;
    controlNamed(page, name)?.insertAdjacentElement("afterend", note);
  }
}

/** Marks an element, and nothing else of its page. */
function pointAt(page: Document, element: HTMLElement | null | undefined): void {
  for (const each of page.querySelectorAll<HTMLElement>("[data-quill-pointed]")) {
    each.style.outline = "";
    delete each.dataset.quillPointed;
  }
  if (!element) return;
  element.dataset.quillPointed = "";
  element.style.outline = "3px solid #14655c";
  element.scrollIntoView({ block: "center" });
}

interface Line {
  readonly name: string;
  readonly isSure: boolean;
  readonly from: readonly [x: number, y: number];
  readonly to: readonly [x: number, y: number];
}

/** The middle of an element at one side of its frame, within `around`; null where it is scrolled out of sight. */
function placeOf(frame: HTMLIFrameElement, element: HTMLElement, side: "left" | "right", around: DOMRect) {
  const [box, inner] = [frame.getBoundingClientRect(), element.getBoundingClientRect()];
  const y = inner.top + inner.height / 2;
  if (y < 0 || y > box.height) return null;
  const x = side === "right" ? Math.min(box.right, box.left + inner.right + 2) : box.left;
  return [x - around.left, box.top + y - around.top] as const;
}

interface FormBesidePageProps extends Pick<AdoptAnswer, "page" | "controls" | "findings"> {
  readonly html: string;
  /** The record that the form shows; undefined for a template. */
  readonly recordKey: readonly string[] | undefined;
  /** The control that one points at. */
  readonly pointed: string | null;
}

/** The lines between what was matched, as both pages stand now. */
function useLines(
  around: RefObject<HTMLDivElement | null>,
  form: RefObject<HTMLIFrameElement | null>,
  made: RefObject<HTMLIFrameElement | null>,
  controls: AdoptAnswer["controls"],
) {
  const [lines, setLines] = useState<readonly Line[]>([]);
  const measure = useCallback(() => {
    const [left, right] = [form.current, made.current];
    const [leftPage, rightPage] = [left?.contentDocument, right?.contentDocument];
    const box = around.current?.getBoundingClientRect();
    if (!left || !right || !leftPage || !rightPage || !box) return setLines([]);
    setLines(
      controls.flatMap(({ name, column, certainty }): Line[] => {
        const [control, field] = [controlNamed(leftPage, name), column === null ? null : fieldOf(rightPage, column)];
        const from = control && placeOf(left, control, "right", box);
        const to = field && placeOf(right, field, "left", box);
        return from && to ? [{ name, isSure: certainty === "certain", from, to }] : [];
      }),
    );
  }, [around, form, made, controls]);
  useEffect(() => {
    measure();
    const sized = new ResizeObserver(measure);
    if (around.current) sized.observe(around.current);
    return () => sized.disconnect();
  }, [measure, around]);
  return { lines, measure };
}

/** A form that somebody has written at the left, the page that came of it at the right, with lines between what was matched. */
export function FormBesidePage({ html, page, recordKey, controls, findings, pointed }: FormBesidePageProps) {
  const around = useRef<HTMLDivElement>(null);
  const form = useRef<HTMLIFrameElement>(null);
  const made = useRef<HTMLIFrameElement>(null);
  const { lines, measure } = useLines(around, form, made, controls);
  const trying = { key: recordKey, as: undefined, form: undefined, fresh: recordKey === undefined };
  const tried = useTrial(page?.name ?? "", page?.text, trying);
  const shown = page === null ? null : (tried.data?.trial?.html ?? null);
  const watch = (frame: HTMLIFrameElement | null): void => {
    frame?.contentWindow?.addEventListener("scroll", measure, { passive: true });
    measure();
  };
  useEffect(() => {
    if (form.current?.contentDocument) noteFindings(form.current.contentDocument, findings);
  }, [findings]);
  useEffect(() => {
    const column = controls.find(({ name }) => name === pointed)?.column ?? null;
    const [left, right] = [form.current?.contentDocument, made.current?.contentDocument];
    if (left) pointAt(left, pointed === null ? null : controlNamed(left, pointed));
    if (right) pointAt(right, column === null ? null : fieldOf(right, column));
    measure();
  }, [pointed, controls, measure]);
  return (
    <Beside ref={around}>
      <div>
        <h2>The form</h2>
        {/* No script of it runs, nothing is sent, and nothing is loaded from elsewhere. */}
        <iframe
          ref={form}
          title="The form"
          sandbox="allow-same-origin"
          srcDoc={sealed(html)}
          onLoad={() => {
            if (form.current?.contentDocument) noteFindings(form.current.contentDocument, findings);
            watch(form.current);
          }}
        />
      </div>
      <div>
        <h2>The page</h2>
        {shown !== null ? (
          <iframe
            ref={made}
            title="The page"
            sandbox="allow-same-origin"
            srcDoc={shown}
            onLoad={() => watch(made.current)}
          />
        ) : tried.isPending && page !== null ? (
          <Waiting height="36rem" what="Loading the page" />
        ) : (
          <p>{page === null ? "No page came of it." : "The page is shown for a record that you may open."}</p>
        )}
      </div>
      <svg aria-hidden="true">
        {lines.map(({ name, isSure, from, to }) => (
          <path
            key={name}
            className={[name === pointed ? "pointed" : "", isSure ? "" : "unsure"].join(" ")}
            d={`M${from[0]} ${from[1]} C${from[0] + 40} ${from[1]}, ${to[0] - 40} ${to[1]}, ${to[0]} ${to[1]}`}
          />
        ))}
      </svg>
    </Beside>
  );
}
