import type { SheetField } from "@loyal-quill/server/api";
import { styled } from "styled-components";
import { Small } from "../parts/inputs.js";
import type { FieldDrag } from "./use-field-drag.js";
import type { Selection } from "./use-selection.js";

const Notes = styled.div`
  padding: ${({ theme }) => `${theme.space(1)} 0`};
  font: 0.8125rem/1.4 ${({ theme }) => theme.wire};
  overflow-wrap: anywhere;
  b { cursor: grab; font-weight: 400; color: ${({ theme }) => theme.ink}; }
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

const Name = styled.button`
  border: 0;
  background: none;
  padding: 0 ${({ theme }) => theme.space(1)} 0 0;
  font: inherit;
  text-align: start;
  overflow-wrap: anywhere;
  cursor: pointer;
  text-decoration: underline dotted;
  text-underline-offset: 0.2em;
  &[aria-pressed="true"] { color: ${({ theme }) => theme.verdigris}; font-weight: 700; text-decoration-style: solid; }
`;

interface ColumnNotesProps {
  readonly field: SheetField;
  /** The stored value; undefined where the page does not load the column. */
  readonly stored: string | null | undefined;
  /** Whether the record was found. */
  readonly known: boolean;
  /** Chooses the field, to set it; none where it is not on the page. */
  readonly selection?: Selection;
  /** Takes hold of the field's name, to drag it to another place. */
  readonly drag: FieldDrag;
  /** Puts the column on the page, where it is not. */
  readonly onAdd?: () => void;
}

/** A column of the table: name, type, what it demands, and the stored value. */
export function ColumnNotes({ field, stored, known, selection, drag, onAdd }: ColumnNotesProps) {
  return (
    <Notes>
      <p>
        {selection ? (
          <Name
            type="button"
            data-field-button={field.name}
            aria-pressed={selection.names.includes(field.name)}
            title="Edit this field. Arrow keys go to the next one, Alt and arrow keys or dragging move it, Delete removes it."
            {...drag.handle(field.name)}
            onClick={(event) => selection.onClick(field.name, event)}
            onKeyDown={(event) => selection.onKeyDown(field.name, event)}
          >
            {field.name}
          </Name>
        ) : (
          <b title="Drag onto the page." {...drag.handle(field.name)}>
            {field.name}{" "}
          </b>
        )}
        <span>
          {field.type}
          {field.key ? ", key" : ""}
          {field.nullable ? "" : ", not null"}
        </span>
        {onAdd && (
          <>
            {" "}
            <Small type="button" onClick={onAdd} aria-label={`Add ${field.name} to the page`}>
              Add to page
            </Small>
          </>
        )}
      </p>
      {known && stored !== undefined && <Stored>{stored ?? <span>null</span>}</Stored>}
      {field.default !== null && (
        <p>
          <span>default {field.default}</span>
        </p>
      )}
      {field.references.map(({ table, columns }) => (
        <p key={`${table} ${columns}`}>
          <span>
            → {table} ({columns.join(", ")})
          </span>
        </p>
      ))}
      {field.constraints.map((constraint) => (
        <p key={constraint}>
          <span>{constraint}</span>
        </p>
      ))}
    </Notes>
  );
}
