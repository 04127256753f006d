import type { Finding, RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer, SheetField, TrialAnswer } from "@loyal-quill/server/api";
import { memo } from "react";
import { styled } from "styled-components";
import { ColumnNotes, type FieldActions } from "./column-notes.js";
import { RuleNotes } from "./rule-notes.js";

export const Beside = styled.div<{ $side: "left" | "right"; $isChosen?: boolean }>`
  background: ${({ theme, $isChosen }) => ($isChosen ? theme.wash : "none")};
  position: absolute;
  left: 0;
  right: 0;
  padding: ${({ theme, $side }) => ($side === "left" ? `0 ${theme.space(2)} 0 0` : `0 ${theme.space(3)} 0 ${theme.space(2)}`)};
  border-top: 1px dotted ${({ theme }) => theme.rule};
`;

/** Where the notes of a field stand: a height, nowhere yet, or one after the other where a page has no fields to stand beside. */
export type Top = number | "hidden" | "static";

const styleOf = (top: Top): React.CSSProperties => {
  if (top === "static") return { position: "static" };
  return top === "hidden" ? { visibility: "hidden", top: 0 } : { top };
};

/** The id of a field's cell in one of the columns: they stand apart, and are one row to who can't see them. */
export const cellOf = (column: "table" | "rules", name: string): string => `cell-${column}-${encodeURIComponent(name)}`;

/** Below the last field: columns of the table that the page does not show. */
export function OffPage({
  fields,
  row,
  top,
  actions,
}: {
  fields: readonly SheetField[];
  row: TrialAnswer["row"];
  top: Top;
  actions: FieldActions;
}) {
  if (fields.length === 0) return null;
  return (
    <Beside $side="left" style={styleOf(top)}>
      <p>
        <b>Not on the page</b>
      </p>
      {fields.map((field) => (
        <ColumnNotes key={field.name} field={field} stored={row?.[field.name]} known={false} actions={actions} />
      ))}
    </Beside>
  );
}

interface LineProps {
  readonly field: SheetField;
  readonly top: Top;
  readonly actions: FieldActions;
}

/** One line of the table's margin. A Sheet may have hundreds: each is rendered again only where something of its own differs. */
export const ColumnLine = memo(function ColumnLine({
  field,
  top,
  actions,
  stored,
  known,
  isChosen,
  isStop,
}: LineProps & { stored: string | null | undefined; known: boolean; isChosen: boolean; isStop: boolean }) {
  return (
    <Beside
      $side="left"
      $isChosen={isChosen}
      id={cellOf("table", field.name)}
      role="cell"
      data-beside={field.name}
      style={styleOf(top)}
    >
      <ColumnNotes field={field} stored={stored} known={known} isChosen={isChosen} isStop={isStop} actions={actions} />
    </Beside>
  );
});

/** One line of the rules' margin. */
export const RuleLine = memo(function RuleLine({
  field,
  top,
  actions,
  checks,
  save,
  isTried,
  found,
  isChosen,
}: LineProps & {
  checks: SheetAnswer["checks"];
  save: RecordedRequest | undefined;
  /** Whether the save was tried with the draft, and is none that somebody has made of the page. */
  isTried: boolean;
  found: readonly Finding[];
  isChosen: boolean;
}) {
  return (
    <Beside
      $side="right"
      $isChosen={isChosen}
      id={cellOf("rules", field.name)}
      role="cell"
      data-beside={field.name}
      style={styleOf(top)}
    >
      <RuleNotes
        field={field}
        checks={checks}
        save={save}
        isTried={isTried}
        found={found}
        onSet={() => actions.set(field.name)}
      />
    </Beside>
  );
});
