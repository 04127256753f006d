import type { SheetField } from "@loyal-quill/server/api";
import { styled } from "styled-components";

const Notes = styled.div`
  padding: ${({ theme }) => `${theme.space(1)} 0`};
  font: 0.8125rem/1.4 ${({ theme }) => theme.wire};
  overflow-wrap: anywhere;
  b { font-weight: 400; color: ${({ theme }) => theme.ink}; }
  span { color: ${({ theme }) => theme.soft}; }
  p + p { margin-top: 1px; }
`;

const Stored = styled.p`
  white-space: pre-wrap;
  max-height: 6.9em;
  overflow: auto;
  border-left: 2px solid ${({ theme }) => theme.edge};
  padding-left: ${({ theme }) => theme.space(2)};
`;

interface ColumnNotesProps {
  readonly field: SheetField;
  /** The stored value; undefined where the page does not load the column. */
  readonly stored: string | null | undefined;
  /** Whether the record was found. */
  readonly known: boolean;
}

/** A column of the table: name, type, what it demands, and the stored value. */
export function ColumnNotes({ field, stored, known }: ColumnNotesProps) {
  return (
    <Notes>
      <p>
        <b>{field.name}</b>{" "}
        <span>
          {field.type}
          {field.key ? ", key" : ""}
          {field.nullable ? "" : ", not null"}
        </span>
      </p>
      {known && stored !== undefined && <Stored>{stored ?? <span>null</span>}</Stored>}
      {field.default !== null && (
        <p>
          <span>default {field.default}</span>
        </p>
      )}
      {field.constraints.map((constraint) => (
        <p key={constraint}>
          <span>{constraint}</span>
        </p>
      ))}
    </Notes>
  );
}
