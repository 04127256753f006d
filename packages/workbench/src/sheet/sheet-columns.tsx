import type { RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer, SheetField, TrialAnswer } from "@loyal-quill/server/api";
import { memo, type ReactNode, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";
import { useStable } from "../parts/stable.js";
import { ColumnNotes, type FieldActions } from "./column-notes.js";
import { FieldEditor } from "./field-editor.js";
import { PageFrame } from "./page-frame.js";
import { RuleNotes } from "./rule-notes.js";
import { useEditing } from "./settings.js";
import { type Alignment, useAlignment } from "./use-alignment.js";
import { useFieldDrag } from "./use-field-drag.js";
import { fieldButton, type Selection } from "./use-selection.js";
import { type View, views } from "./views.js";

/** Table, page and rules scroll together below the round trip, which stays in view. */
const Pane = styled.section`
  flex: 1 0 24rem;
  height: 24rem;
  overflow: auto;
  position: relative;
  container-type: size;
  /* What gets the focus is not hidden below the heads (WCAG 2.2, 2.4.11). */
  scroll-padding-top: 2.5rem;
`;

/** How the width is shared: the margins beside the page, one wide pane beside it, or the page alone. */
const shares = {
  rules: "minmax(0, 1fr) 31rem minmax(0, 1fr)",
  pane: "31rem minmax(0, 1fr)",
  page: "minmax(0, 1fr)",
} as const;
type Share = keyof typeof shares;

const Heads = styled.div<{ $share: Share }>`
  display: grid;
  grid-template-columns: ${({ $share }) => ($share === "page" ? "minmax(0, 1fr) auto" : shares[$share])};
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

const Beside = styled.div<{ $side: "left" | "right" }>`
  position: absolute;
  left: 0;
  right: 0;
  padding: ${({ theme, $side }) => ($side === "left" ? `0 ${theme.space(4)} 0 0` : `0 0 0 ${theme.space(4)}`)};
  border-top: 1px dotted ${({ theme }) => theme.rule};
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
  readonly head: ReactNode;
}

/** Below the last field: columns of the table that the page does not show. */
function OffPage({
  fields,
  row,
  top,
  actions,
}: {
  fields: readonly SheetField[];
  row: TrialAnswer["row"];
  top: number;
  actions: FieldActions;
}) {
  if (fields.length === 0) return null;
  return (
    <Beside $side="left" style={{ top }}>
      <p>
        <b>Not on the page</b>
      </p>
      {fields.map((field) => (
        <ColumnNotes key={field.name} field={field} stored={row?.[field.name]} known={false} actions={actions} />
      ))}
    </Beside>
  );
}

/** Where the notes of a field stand: a height, nowhere yet, or one after the other where a page has no fields to stand beside. */
type Top = number | "hidden" | "static";

const topOf = ({ tops }: Alignment, name: string): Top => (tops.size === 0 ? "static" : (tops.get(name) ?? "hidden"));

const styleOf = (top: Top): React.CSSProperties => {
  if (top === "static") return { position: "static" };
  return top === "hidden" ? { visibility: "hidden", top: 0 } : { top };
};

interface LineProps {
  readonly field: SheetField;
  readonly top: Top;
  readonly actions: FieldActions;
}

/** One line of the table's margin. A Sheet may have hundreds: each is rendered again only where something of its own differs. */
const ColumnLine = memo(function ColumnLine({
  field,
  top,
  actions,
  stored,
  known,
  isChosen,
}: LineProps & { stored: string | null | undefined; known: boolean; isChosen: boolean }) {
  return (
    <Beside $side="left" data-beside={field.name} style={styleOf(top)}>
      <ColumnNotes field={field} stored={stored} known={known} isChosen={isChosen} actions={actions} />
    </Beside>
  );
});

/** One line of the rules' margin. */
const RuleLine = memo(function RuleLine({
  field,
  top,
  actions,
  checks,
  save,
}: LineProps & { checks: SheetAnswer["checks"]; save: RecordedRequest | undefined }) {
  return (
    <Beside $side="right" data-beside={field.name} style={styleOf(top)}>
      <RuleNotes field={field} checks={checks} save={save} onSet={() => actions.set(field.name)} />
    </Beside>
  );
});

const noChecks: SheetAnswer["checks"] = [];

/** The checks that speak at each field. */
function checksByField(checks: SheetAnswer["checks"]): ReadonlyMap<string, SheetAnswer["checks"]> {
  const found = new Map<string, SheetAnswer["checks"]>();
  for (const check of checks) if (check.at !== null) found.set(check.at, [...(found.get(check.at) ?? []), check]);
  return found;
}

/** The table's column, the real page as served, its rules: aligned line by line, scrolling together. */
export function SheetColumns({ sheet, trial, save, selection, onSend, view, pane, head }: SheetColumnsProps) {
  const frame = useRef<HTMLIFrameElement>(null);
  const container = useRef<HTMLDivElement>(null);
  const scroller = useRef<HTMLElement>(null);
  const [alignment, align] = useAlignment(frame, container);
  const onPage = sheet.fields.filter((field) => field.onPage);
  const drag = useFieldDrag(
    onPage.map(({ name }) => name),
    alignment,
    selection,
  );
  const { edit } = useEditing();
  const actions = useStable<FieldActions & Record<string, (...given: never[]) => void>>({
    click: selection.onClick,
    keyDown: selection.onKeyDown,
    dragStart: (name, event) => drag.handle(name).onDragStart(event),
    dragEnd: () => drag.handle("").onDragEnd(),
    add: (name) => edit([{ do: "add-fields", names: [name], before: null }], `add ${name}`),
    set: (name) => selection.choose([name]),
  });
  const checks = useMemo(() => checksByField(sheet.checks), [sheet.checks]);
  const shown = alignment.tops.size > 0;
  const person = trial.recorded.actor?.name ?? "nobody";
  const hasErrors = sheet.findings.some((finding) => finding.severity === "error");
  const [chosen] = selection.names;
  // The page stays for its record and its reader; what changes in it is brought in without loading it anew.
  const whose = `${trial.address} ${trial.recorded.actor?.id}`;
  // Where a save would lead elsewhere, the form stays as it was sent.
  const [lastHtml, setLastHtml] = useState<string | null>(null);
  useEffect(() => {
    if (trial.html !== null) setLastHtml(trial.html);
  }, [trial.html]);
  const html = trial.html ?? lastHtml;
  // A record is looked at from its first field on; the head of its page is above.
  const scrolled = useRef("");
  useEffect(() => {
    const [first] = alignment.tops.values();
    if (first === undefined || scrolled.current === whose) return;
    scrolled.current = whose;
    scroller.current?.scrollTo({ top: first - 3 });
  }, [alignment, whose]);
  const realign = useCallback(() => requestAnimationFrame(align), [align]);
  const share = view === "rules" || view === "page" ? view : "pane";
  return (
    <Pane ref={scroller} aria-label="Table, page and rules">
      <Heads $share={share}>
        {share === "rules" && (
          <h2 title={sheet.tableComment ?? undefined}>
            Table{" "}
            <span>
              {sheet.table}, key {sheet.keyColumns.join(", ")}
            </span>
          </h2>
        )}
        <h2>
          Page {hasErrors ? <Mark kind="stop">last version without errors</Mark> : <span>as served to {person}</span>}
        </h2>
        {head}
      </Heads>
      <Columns ref={container} $share={share}>
        {share === "rules" && (
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
              />
            ))}
            {shown && (
              <OffPage
                fields={sheet.fields.filter((field) => !field.onPage)}
                row={trial.row}
                top={alignment.end + 8}
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
        {html !== null && (
          <PageFrame
            key={whose}
            frame={frame}
            title={`The page as served to ${person}`}
            html={html}
            height={alignment.height}
            onShow={realign}
            onSend={onSend}
          />
        )}
        {share === "pane" && <Side aria-label={views[view]}>{pane}</Side>}
        {share === "rules" && (
          <Margin>
            {onPage.map((field) =>
              selection.names.length === 1 && chosen === field.name ? (
                <Beside
                  key={field.name}
                  $side="right"
                  data-beside={field.name}
                  style={styleOf(topOf(alignment, field.name))}
                >
                  <FieldEditor
                    field={field}
                    sheet={sheet}
                    onMove={(by) => selection.move([field.name], by)}
                    onTakeOff={() => selection.takeOff([field.name])}
                    onClose={() => {
                      selection.choose([]);
                      fieldButton(field.name)?.focus();
                    }}
                  />
                </Beside>
              ) : (
                <RuleLine
                  key={field.name}
                  field={field}
                  top={topOf(alignment, field.name)}
                  actions={actions}
                  checks={checks.get(field.name) ?? noChecks}
                  save={save}
                />
              ),
            )}
          </Margin>
        )}
      </Columns>
    </Pane>
  );
}
