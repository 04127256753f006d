import type { Finding, RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer, TrialAnswer } from "@loyal-quill/server/api";
import { type ReactNode, type RefObject, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { styled } from "styled-components";
import { Small } from "../../parts/inputs.js";
import { Mark } from "../../parts/mark.js";
import { useStable } from "../../parts/stable.js";
import { type Found, foundByField, useEditing } from "../editing/settings.js";
import type { Selection } from "../editing/use-selection.js";
import { ColumnLine, cellOf, OffPage, RuleLine, type Top } from "./column-lines.js";
import type { FieldActions } from "./column-notes.js";
import { PageFrame } from "./page-frame.js";
import { type Alignment, unaligned, useAlignment } from "./use-alignment.js";
import { useFieldDrag } from "./use-field-drag.js";
import { type View, views } from "./views.js";

/** Table, page and rules scroll together below the round trip, which stays in view. */
const Pane = styled.section`
  flex: 1 1 0;
  min-width: 0;
  min-height: 0;
  overflow: auto;
  position: relative;
  container-type: size;
  /* What gets the focus is not hidden below the heads (WCAG 2.2, 2.4.11). */
  scroll-padding-top: 2.5rem;
`;

/** How the width is shared: the margins beside the page, one wide pane beside it, or the page alone. */
const shares = {
  rules: "minmax(0, 1fr) minmax(25rem, 1.9fr) minmax(0, 1fr)",
  pane: "28rem minmax(0, 1fr)",
  page: "minmax(0, 1fr)",
} as const;
type Share = keyof typeof shares;

/** The columns, one of which stands alone where there is no room for more. */
export const columnNames = { table: "Table", page: "Page", rules: "Rules", edit: "Edit" };
export type ColumnName = keyof typeof columnNames;

const Heads = styled.div<{ $share: Share }>`
  display: grid;
  grid-template-columns: ${({ $share }) => shares[$share]};
  position: sticky;
  top: 0;
  z-index: 1;
  background: ${({ theme }) => theme.paper};
  border-bottom: 1px solid ${({ theme }) => theme.edge};
  h2 { font-size: 1rem; padding: ${({ theme }) => `${theme.space(0.5)} ${theme.space(4)}`}; }
  h2 { min-width: 0; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
  h2:first-child { padding-left: 0; }
  h2 span { font-weight: 400; color: ${({ theme }) => theme.soft}; }
`;

const Columns = styled.div<{ $share: Share }>`
  display: grid;
  grid-template-columns: ${({ $share }) => shares[$share]};
  position: relative;
`;

/** A pane stays in view while the page beside it scrolls, and scrolls by itself where it is longer. */
const Side = styled.div.attrs({ tabIndex: 0, role: "group" })`
  position: sticky;
  top: 2.25rem;
  align-self: start;
  max-height: calc(100cqh - 2.5rem);
  overflow: auto;
`;

const Margin = styled.div`
  position: relative;
`;

/** Where fields that are dragged would go. */
const Place = styled.div`
  position: absolute;
  left: 0;
  right: 0;
  height: 0;
  border-top: 2px solid ${({ theme }) => theme.verdigris};
  pointer-events: none;
  span {
    position: absolute;
    right: ${({ theme }) => theme.space(4)};
    bottom: 2px;
    padding: 0 ${({ theme }) => theme.space(1)};
    background: ${({ theme }) => theme.paper};
    color: ${({ theme }) => theme.verdigris};
    font-size: 0.8125rem;
  }
`;

interface SheetColumnsProps {
  readonly sheet: SheetAnswer;
  readonly trial: TrialAnswer;
  readonly save: RecordedRequest | undefined;
  readonly selection: Selection;
  readonly onSend: (form: string) => void;
  readonly view: View;
  /** What stands beside the page in the place of table and rules. */
  readonly pane: ReactNode;
  /** The one column that there is room for; undefined where there is room for all. */
  readonly alone: ColumnName | undefined;
  /** What was found in the page file. */
  readonly found: readonly Found[];
}

const topOf = ({ tops }: Alignment, name: string): Top => (tops.size === 0 ? "static" : (tops.get(name) ?? "hidden"));

/** The fields as a table for who can't see the columns: a row a field, its line of the table and its rules. */
function Rows({ names, columns }: { names: readonly string[]; columns: readonly ("table" | "rules")[] }) {
  if (names.length === 0 || columns.length === 0) return null;
  return (
    // biome-ignore lint/a11y/useSemanticElements: the cells stand in columns of their own, with the page between
    <div role="table" aria-label="Fields" style={{ position: "absolute" }}>
      {names.map((name) => (
        // biome-ignore lint/a11y/useSemanticElements: see above
        // biome-ignore lint/a11y/useFocusableInteractive: it is a row of a table, in which nothing is chosen by row
        <div key={name} role="row" aria-owns={columns.map((column) => cellOf(column, name)).join(" ")} />
      ))}
    </div>
  );
}

const noChecks: SheetAnswer["checks"] = [];
const noFindings: readonly Finding[] = [];

/** The checks that speak at each field. */
function checksByField(checks: SheetAnswer["checks"]): ReadonlyMap<string, SheetAnswer["checks"]> {
  const found = new Map<string, SheetAnswer["checks"]>();
  for (const check of checks) if (check.at !== null) found.set(check.at, [...(found.get(check.at) ?? []), check]);
  return found;
}

/** The page's HTML now; where a save would lead elsewhere, the form stays as it was sent. */
function useHtml(trial: TrialAnswer): string | null {
  const [last, setLast] = useState<string | null>(null);
  useEffect(() => {
    if (trial.html !== null) setLast(trial.html);
  }, [trial.html]);
  return trial.html ?? last;
}

/** A record is looked at from its first field on; the head of its page is above. */
function useFirstField(scroller: RefObject<HTMLElement | null>, alignment: Alignment, whose: string): void {
  const scrolled = useRef("");
  useEffect(() => {
    const [first] = alignment.tops.values();
    if (first === undefined || scrolled.current === whose) return;
    scrolled.current = whose;
    scroller.current?.scrollTo({ top: first - 3 });
  }, [scroller, alignment, whose]);
}

/** The table's column, the real page as served, its rules: aligned line by line, scrolling together. */
export function SheetColumns({ sheet, trial, save, selection, onSend, view, pane, alone, found }: SheetColumnsProps) {
  const frame = useRef<HTMLIFrameElement>(null);
  const container = useRef<HTMLDivElement>(null);
  const scroller = useRef<HTMLElement>(null);
  const [measured, align] = useAlignment(frame, container);
  const alignment = alone === undefined ? measured : unaligned;
  const onPage = sheet.fields.filter((field) => field.onPage);
  const drag = useFieldDrag(
    onPage.map(({ name }) => name),
    alignment,
    selection,
  );
  const { edit } = useEditing();
  const [isTexts, setTexts] = useState(false);
  const actions = useStable<FieldActions & Record<string, (...given: never[]) => void>>({
    click: selection.onClick,
    keyDown: selection.onKeyDown,
    dragStart: (name, event) => drag.handle(name).onDragStart(event),
    dragEnd: () => drag.handle("").onDragEnd(),
    add: (name) => edit([{ do: "add-fields", names: [name], before: null }], `add ${name}`),
    set: (name) => selection.choose([name]),
  });
  const findings = useMemo(() => foundByField(found), [found]);
  const checks = useMemo(() => checksByField(sheet.checks), [sheet.checks]);
  const person = trial.recorded.actor?.name ?? "nobody";
  // The page stays for its record and its reader; what changes in it is brought in without loading it anew.
  const whose = `${trial.address} ${trial.recorded.actor?.id}`;
  const html = useHtml(trial);
  useFirstField(scroller, alignment, whose);
  const realign = useCallback(() => requestAnimationFrame(align), [align]);
  const shows = (column: ColumnName): boolean => view === "rules" && (alone === undefined || alone === column);
  const isPage = alone === undefined || alone === "page" || view === "page";
  const share = alone !== undefined ? "page" : view === "rules" || view === "page" ? view : "pane";
  const stop = selection.names[0] ?? onPage[0]?.name;
  return (
    <Pane ref={scroller} aria-label="Table, page and rules" tabIndex={share === "page" ? 0 : undefined}>
      <Heads $share={share}>
        {shows("table") && (
          <h2 title={sheet.tableComment ?? undefined}>
            Table{" "}
            <span>
              {sheet.table}, key {sheet.keyColumns.join(", ")}
            </span>
          </h2>
        )}
        {isPage && <PageHead sheet={sheet} person={person} isTexts={isTexts} onTexts={() => setTexts(!isTexts)} />}
        {shows("rules") && <h2>Rules</h2>}
      </Heads>
      <Columns ref={container} $share={share}>
        <Rows
          names={onPage.map(({ name }) => name)}
          columns={(["table", "rules"] as const).filter((column) => shows(column))}
        />
        {shows("table") && (
          <Margin {...drag.zone}>
            {onPage.map((field) => (
              <ColumnLine
                key={field.name}
                field={field}
                top={topOf(alignment, field.name)}
                actions={actions}
                stored={trial.row?.[field.name]}
                known={trial.row !== null}
                isChosen={selection.names.includes(field.name)}
                isStop={stop === field.name}
              />
            ))}
            {(alignment.tops.size > 0 || alone !== undefined) && (
              <OffPage
                fields={sheet.fields.filter((field) => !field.onPage)}
                row={trial.row}
                top={alone === undefined ? alignment.end + 8 : "static"}
                actions={actions}
              />
            )}
            {drag.shown && (
              <Place style={{ top: drag.shown.top }}>
                <span>{drag.shown.says}</span>
              </Place>
            )}
          </Margin>
        )}
        {html !== null && isPage && (
          <PageFrame
            key={whose}
            frame={frame}
            title={`The page as served to ${person}`}
            html={html}
            height={measured.height}
            onShow={realign}
            onSend={onSend}
            chosen={selection.names}
            isTexts={isTexts}
            onEnter={(name) => onPage.some((field) => field.name === name) && selection.choose([name])}
          />
        )}
        {pane !== undefined && alone === undefined && share === "pane" && <Side aria-label={views[view]}>{pane}</Side>}
        {shows("rules") && (
          <Margin>
            {onPage.map((field) => (
              <RuleLine
                key={field.name}
                field={field}
                top={topOf(alignment, field.name)}
                actions={actions}
                checks={checks.get(field.name) ?? noChecks}
                save={save}
                isTried={save === trial.recorded}
                found={findings.get(field.name) ?? noFindings}
                isChosen={selection.names.includes(field.name)}
              />
            ))}
          </Margin>
        )}
      </Columns>
    </Pane>
  );
}

function PageHead({
  sheet,
  person,
  isTexts,
  onTexts,
}: {
  sheet: SheetAnswer;
  person: string;
  isTexts: boolean;
  onTexts: () => void;
}) {
  const hasErrors = sheet.findings.some((finding) => finding.severity === "error");
  return (
    <h2>
      Page {hasErrors ? <Mark kind="stop">last version without errors</Mark> : <span>as served to {person}</span>}{" "}
      <Small
        type="button"
        aria-pressed={isTexts}
        title="Click a text on the page, or press Enter on it, to edit it there."
        onClick={onTexts}
      >
        {isTexts ? "Stop editing texts" : "Edit texts"}
      </Small>
    </h2>
  );
}
