import type { SheetField } from "@loyal-quill/server/api";
import type { DragEvent, KeyboardEvent, MouseEvent } from "react";
import { styled } from "styled-components";
import { Small } from "../../parts/inputs.js";
import { useScrolls } from "../../parts/use-scrolls.js";

const Notes = styled.div`
  padding: ${({ theme }) => `${theme.space(1)} 0`};
  font: 0.8125rem/1.4 ${({ theme }) => theme.wire};
  overflow-wrap: anywhere;
  b { cursor: grab; font-weight: 400; color: ${({ theme }) => theme.ink}; }
  span { color: ${({ theme }) => theme.soft}; }
  p + p, p + div, div + p { margin-top: 1px; }
`;

const Stored = styled.div`
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

/** What can be done with a field in the margin of the table. */
export interface FieldActions {
  readonly click: (name: string, event: MouseEvent) => void;
  readonly keyDown: (name: string, event: KeyboardEvent) => void;
  readonly dragStart: (name: string, event: DragEvent) => void;
  readonly dragEnd: () => void;
  /** Puts a column on the page. */
  readonly add: (name: string) => void;
  /** Opens the settings of a field. */
  readonly set: (name: string) => void;
}

interface ColumnNotesProps {
  readonly field: SheetField;
  /** The stored value; undefined where the page does not load the column. */
  readonly stored: string | null | undefined;
  /** Whether the record was found. */
  readonly known: boolean;
  /** Whether the field is chosen, to be set; undefined where it is not on the page. */
  readonly isChosen?: boolean;
  /** Whether the Tab key stops at it: of all fields at one, from which the arrow keys lead to the others. */
  readonly isStop?: boolean;
  readonly actions: FieldActions;
}

/** The stored value: of a long one a few lines, and the rest by scrolling. */
function StoredValue({ name, value }: { name: string; value: string | null }) {
  const [ref, scrolls] = useScrolls<HTMLDivElement>(value);
  return (
    <Stored ref={ref} {...(scrolls ? { tabIndex: 0, role: "group", "aria-label": `Stored value of ${name}` } : {})}>
      {value ?? <span>null</span>}
    </Stored>
  );
}

/** A column of the table: name, type, what it demands, and the stored value. */
export function ColumnNotes({ field, stored, known, isChosen, isStop = false, actions }: ColumnNotesProps) {
  const { name } = field;
  const handle = {
    draggable: true,
    onDragStart: (event: DragEvent) => actions.dragStart(name, event),
    onDragEnd: () => actions.dragEnd(),
  };
  return (
    <Notes>
      <p>
        {isChosen !== undefined ? (
          <Name
            type="button"
            data-field-button={field.name}
            aria-pressed={isChosen}
            tabIndex={isStop ? 0 : -1}
            title="Edit this field. Arrow keys go to the next one, Alt and arrow keys or dragging move it, Delete removes it."
            {...handle}
            onClick={(event) => actions.click(name, event)}
            onKeyDown={(event) => actions.keyDown(name, event)}
          >
            {field.name}
          </Name>
        ) : (
          <b title="Drag onto the page." {...handle}>
            {field.name}{" "}
          </b>
        )}
        <span>
          {[
            field.type,
            field.key ? "key" : "",
            field.nullable ? "" : "not null",
            field.setByTrigger ? "may be set by a trigger" : "",
          ]
            .filter(Boolean)
            .join(", ")}
        </span>
        {isChosen === undefined && (
          <>
            {" "}
            <Small type="button" onClick={() => actions.add(name)} aria-label={`Add ${field.name} to the page`}>
              Add to page
            </Small>
          </>
        )}
      </p>
      {known && stored !== undefined && <StoredValue name={name} value={stored} />}
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
