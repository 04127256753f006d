import type { RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import { styled } from "styled-components";
import { requestFocus } from "../parts/focus-request.js";
import { Small } from "../parts/inputs.js";
import type { ChosenStep } from "../round-trip/round-trip.js";
import { checksIn, conditionOfCheck, useEditing } from "./editing/settings.js";
import { fieldButton, type Selection } from "./editing/use-selection.js";
import { FieldEditor } from "./editors/field-editor.js";
import { FieldsTogether } from "./editors/fields-together.js";
import { StepDetail } from "./step-detail.js";

const Panel = styled.aside`
  overflow: auto;
  padding: ${({ theme }) => `${theme.space(1)} ${theme.space(1)} ${theme.space(8)} ${theme.space(4)}`};
  border-left: 1px solid ${({ theme }) => theme.edge};
  h2 { font-size: 1rem; }
  ul { margin: ${({ theme }) => `${theme.space(1)} 0 ${theme.space(3)}`}; }
  li { padding: ${({ theme }) => `${theme.space(0.5)} 0`}; overflow-wrap: anywhere; }
  > div > p { color: ${({ theme }) => theme.soft}; margin-bottom: ${({ theme }) => theme.space(3)}; }
`;

/** What belongs to the page as a whole, by the step at which it is set. */
const whole: readonly (readonly [string, ChosenStep])[] = [
  ["Title and address", { half: "open", step: "route" }],
  ["Key", { half: "open", step: "key" }],
  ["Access", { half: "open", step: "access" }],
  ["List and related lists", { half: "open", step: "load" }],
  ["Language and time zone", { half: "open", step: "prefill" }],
  ["Checks across fields, reason", { half: "save", step: "check" }],
  ["Set by the page, routine", { half: "save", step: "write" }],
  ["After saving", { half: "save", step: "answer" }],
];

/** What can be edited, while nothing is selected. */
function Overview({ onPick }: { onPick: (step: ChosenStep) => void }) {
  const { content } = useEditing();
  const checks = checksIn(content);
  return (
    <div>
      <h2>Edit</h2>
      <p>Select a field or a step, and it is edited here.</p>
      <h2>The page as a whole</h2>
      <ul>
        {whole.map(([text, step]) => (
          <li key={text}>
            <Small type="button" onClick={() => onPick(step)}>
              {text}
            </Small>
          </li>
        ))}
      </ul>
      {checks.length > 0 && (
        <>
          <h2>Checks across fields</h2>
          <ul>
            {checks.map(({ expect, message }, index) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a check's place is what it is known by
              <li key={index}>
                <Small
                  type="button"
                  onClick={() => {
                    onPick({ half: "save", step: "check" });
                    requestFocus(conditionOfCheck(index));
                  }}
                >
                  <code>{expect}</code>
                </Small>{" "}
                {message}
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}

interface EditPanelProps {
  readonly sheet: SheetAnswer;
  readonly selection: Selection;
  readonly picked: ChosenStep | undefined;
  readonly onPick: (step: ChosenStep | undefined) => void;
  /** The request whose step is shown. */
  readonly request: RecordedRequest | undefined;
}

/** The one place where what is selected is edited. It is always there, so that nothing moves when something is selected. */
export function EditPanel({ sheet, selection, picked, onPick, request }: EditPanelProps) {
  const { names, choose, move, takeOff } = selection;
  const field = names.length === 1 ? sheet.fields.find(({ name }) => name === names[0]) : undefined;
  const close = (): void => {
    const from = field
      ? fieldButton(field.name)
      : picked
        ? document.querySelector<HTMLElement>(
            `[data-step="${picked.half === "open" ? "Open" : "Save"} ${picked.step}"]`,
          )
        : fieldButton(names[0] ?? "");
    choose([]);
    onPick(undefined);
    from?.focus();
  };
  return (
    <Panel
      aria-label="Edit"
      data-edit-panel=""
      onKeyDown={(event) => {
        if (event.key !== "Escape" || event.defaultPrevented) return;
        event.preventDefault();
        close();
      }}
    >
      {field?.onPage ? (
        <FieldEditor
          key={field.name}
          field={field}
          sheet={sheet}
          onMove={(by) => move([field.name], by)}
          onTakeOff={() => takeOff([field.name])}
          onClose={close}
        />
      ) : names.length > 1 ? (
        <FieldsTogether selection={selection} />
      ) : picked ? (
        <StepDetail request={request} step={picked.step} sheet={sheet} onClose={close} />
      ) : (
        <Overview onPick={onPick} />
      )}
    </Panel>
  );
}
