import type { RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer, SheetField, TrialAnswer } from "@loyal-quill/server/api";
import { type ReactNode, useCallback, useEffect, useRef, useState } from "react";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";
import { ColumnNotes } from "./column-notes.js";
import { FieldEditor } from "./field-editor.js";
import { PageFrame } from "./page-frame.js";
import { RuleNotes } from "./rule-notes.js";
import { useDesk } from "./settings.js";
import { type Alignment, useAlignment } from "./use-alignment.js";
import { type FieldDrag, useFieldDrag } from "./use-field-drag.js";
import { fieldButton, type Selection } from "./use-selection.js";

const Heads = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 31rem minmax(0, 1fr);
  position: sticky;
  top: 0;
  z-index: 1;
  background: ${({ theme }) => theme.paper};
  border-bottom: 1px solid ${({ theme }) => theme.edge};
  h2 { font-size: 1rem; padding: ${({ theme }) => `${theme.space(2)} ${theme.space(4)}`}; }
  h2 { min-width: 0; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
  h2:first-child { padding-left: 0; }
  h2 span { font-weight: 400; color: ${({ theme }) => theme.soft}; }
`;

const Columns = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 31rem minmax(0, 1fr);
  position: relative;
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
  /** What stands in the place of the rules: the file as text. */
  readonly file: ReactNode;
  readonly head: ReactNode;
}

/** Notes that belong to the page as a whole, beside its head. */
const Whole = styled.dl.attrs<{ "data-beside-head"?: string }>({ "data-beside-head": "" })`
  padding: ${({ theme }) => `${theme.space(3)} ${theme.space(4)}`};
  display: grid;
  gap: ${({ theme }) => theme.space(1)};
  dt { color: ${({ theme }) => theme.soft}; font-size: 0.875rem; }
  dd { font: 0.8125rem/1.4 ${({ theme }) => theme.wire}; overflow-wrap: anywhere; }
`;

const titles = {
  open: "Can open",
  rows: "Visible records",
  edit: "Editable when",
  new: "Can create",
  delete: "Deletable when",
  routine: "Saved by",
} as const;

function AccessNotes({ sheet, trial }: { sheet: SheetAnswer; trial: TrialAnswer }) {
  const judged = trial.recorded.steps.find((step) => step.step === "access")?.values ?? [];
  if (sheet.access.length === 0)
    return (
      <Whole>
        <div>
          <dt>Access</dt>
          <dd>Everyone who is signed in</dd>
        </div>
      </Whole>
    );
  return (
    <Whole>
      {sheet.access.map(({ name, source }) => (
        <div key={name}>
          <dt>
            {titles[name]}
            {name === "open" || name === "rows" || name === "edit"
              ? `: ${judged.find((value) => value.name === name)?.note ?? "not asked"}`
              : null}
          </dt>
          <dd>{source}</dd>
        </div>
      ))}
    </Whole>
  );
}

/** Below the last field: columns of the table that the page does not show. */
function OffPage({
  fields,
  row,
  top,
  drag,
}: {
  fields: readonly SheetField[];
  row: TrialAnswer["row"];
  top: number;
  drag: FieldDrag;
}) {
  const { edit } = useDesk();
  if (fields.length === 0) return null;
  return (
    <Beside $side="left" style={{ top }}>
      <p>
        <b>Not on the page</b>
      </p>
      {fields.map((field) => (
        <ColumnNotes
          key={field.name}
          field={field}
          stored={row?.[field.name]}
          known={false}
          drag={drag}
          onAdd={() => edit([{ do: "add-fields", names: [field.name], before: null }], `add ${field.name}`)}
        />
      ))}
    </Beside>
  );
}

const topOf = (alignment: Alignment, name: string): React.CSSProperties => {
  // A page without fields (refused, not found) has nothing to stand beside: the notes follow each other.
  if (alignment.tops.size === 0) return { position: "static" };
  const top = alignment.tops.get(name);
  return top === undefined ? { visibility: "hidden", top: 0 } : { top };
};

/** The table's column, the real page as served, its rules: aligned line by line, scrolling together. */
export function SheetColumns({ sheet, trial, save, selection, onSend, file, head }: SheetColumnsProps) {
  const frame = useRef<HTMLIFrameElement>(null);
  const container = useRef<HTMLDivElement>(null);
  const [alignment, align] = useAlignment(frame, container);
  const onPage = sheet.fields.filter((field) => field.onPage);
  const drag = useFieldDrag(
    onPage.map(({ name }) => name),
    alignment,
    selection,
  );
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
  const realign = useCallback(() => requestAnimationFrame(align), [align]);
  return (
    <section aria-label="Table, page and rules">
      <Heads>
        <h2>
          Table <span title={sheet.table}>{sheet.table}</span>
        </h2>
        <h2>
          Page {hasErrors ? <Mark kind="stop">last version without errors</Mark> : <span>as served to {person}</span>}
        </h2>
        {head}
      </Heads>
      <Columns ref={container}>
        <Margin {...drag.zone}>
          <Whole style={{ paddingLeft: 0 }}>
            <div>
              <dt>Key</dt>
              <dd>{sheet.keyColumns.join(", ")}</dd>
            </div>
            {sheet.tableComment && (
              <div>
                <dt>Comment</dt>
                <dd>{sheet.tableComment}</dd>
              </div>
            )}
          </Whole>
          {onPage.map((field) => (
            <Beside key={field.name} $side="left" data-beside={field.name} style={topOf(alignment, field.name)}>
              <ColumnNotes
                field={field}
                stored={trial.row?.[field.name]}
                known={trial.row !== null}
                selection={selection}
                drag={drag}
              />
            </Beside>
          ))}
          {shown && (
            <OffPage
              fields={sheet.fields.filter((field) => !field.onPage)}
              row={trial.row}
              top={alignment.end + 8}
              drag={drag}
            />
          )}
          {drag.shown && (
            <Place style={{ top: drag.shown.top }}>
              <span>{drag.shown.says}</span>
            </Place>
          )}
        </Margin>
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
        {file ?? (
          <Margin>
            <AccessNotes sheet={sheet} trial={trial} />
            {onPage.map((field) => (
              <Beside key={field.name} $side="right" data-beside={field.name} style={topOf(alignment, field.name)}>
                {selection.names.length === 1 && chosen === field.name ? (
                  <FieldEditor
                    field={field}
                    columns={sheet.fields.map(({ name }) => name)}
                    onMove={(by) => selection.move([field.name], by)}
                    onTakeOff={() => selection.takeOff([field.name])}
                    onClose={() => {
                      selection.choose([]);
                      fieldButton(field.name)?.focus();
                    }}
                  />
                ) : (
                  <RuleNotes
                    field={field}
                    checks={sheet.checks.filter((check) => check.at === field.name)}
                    save={save}
                    onSet={() => selection.choose([field.name])}
                  />
                )}
              </Beside>
            ))}
          </Margin>
        )}
      </Columns>
    </section>
  );
}
