import { styled } from "styled-components";
import { Line, Small, Text } from "../../parts/inputs.js";
import { AddMenu } from "../../parts/menu.js";
import type { EditorProps } from "../editing/editor-props.js";
import { isPlain } from "../editing/settings.js";

const Constraint = styled.li`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`};
  align-items: baseline;
  & + & { margin-top: ${({ theme }) => theme.space(2)}; }
  code { overflow-wrap: anywhere; }
  > :first-child { grid-column: 1 / -1; }
`;

const messageOf = (given: unknown): string => String(isPlain(given) ? (given.message ?? "") : (given ?? ""));

/** What is said where a constraint of the table refuses a save. */
export function ConstraintsEditor({ setting, sheet, value: given, onChange }: EditorProps) {
  const messages = isPlain(given) ? given : {};
  const change = (name: string, value: unknown): void => {
    const { [name]: _, ...others } = messages;
    if (value !== undefined) onChange({ ...messages, [name]: value });
    else onChange(Object.keys(others).length > 0 ? others : undefined);
  };
  const definitionOf = (name: string): string | undefined =>
    sheet.constraints.find((each) => each.name === name)?.definition;
  return (
    <Line as="div">
      <span>{setting.label}</span>
      <div>
        <ul aria-label={setting.label}>
          {Object.entries(messages).map(([name, words]) => (
            <Constraint key={name}>
              <span title={definitionOf(name)}>
                <code>{name}</code>
              </span>
              <Text
                key={messageOf(words)}
                aria-label={`Message of ${name}`}
                defaultValue={messageOf(words)}
                maxLength={500}
                onBlur={(event) => {
                  const message = event.target.value.trim();
                  if (message !== "" && message !== messageOf(words))
                    change(name, isPlain(words) ? { ...words, message } : message);
                }}
              />
              <Small type="button" aria-label={`Remove the message of ${name}`} onClick={() => change(name, undefined)}>
                ✕
              </Small>
            </Constraint>
          ))}
        </ul>
        <AddMenu
          label="Add a message"
          options={sheet.constraints
            .filter(({ name }) => !Object.hasOwn(messages, name))
            .map(({ name, definition }) => ({ id: name, text: definition === "" ? name : `${name}: ${definition}` }))}
          onAdd={(name) => change(name, "This can’t be saved.")}
        />
      </div>
    </Line>
  );
}
