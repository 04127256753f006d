import { styled } from "styled-components";
import { Line, Select, Small, Text } from "../../parts/inputs.js";
import { AddMenu } from "../../parts/menu.js";
import type { EditorProps } from "../editing/editor-props.js";
import { firstSet, isPlain } from "../editing/settings.js";

const SetLine = styled.li`
  display: grid;
  grid-template-columns: 9rem minmax(0, 1fr) auto auto;
  gap: ${({ theme }) => theme.space(2)};
  align-items: baseline;
  code { overflow-wrap: anywhere; }
`;

const Soft = styled.p`
  color: ${({ theme }) => theme.soft};
`;

interface Given {
  readonly to: string;
  readonly on: string;
}

const partsOf = (value: unknown): Given => {
  if (typeof value !== "object" || value === null) return { to: String(value ?? ""), on: "both" };
  const { to = "", on = "both" } = value as Partial<Given>;
  return { to: String(to), on: String(on) };
};

/** As short as the file allows. */
const valueOfParts = ({ to, on }: Given): unknown => (on === "both" ? to : { to, on });

/** Columns whose values the page gives by itself. */
export function SetEditor({ setting, sheet, value: given, onChange }: EditorProps) {
  const set = isPlain(given) ? given : {};
  const change = (name: string, value: unknown): void => {
    const { [name]: _, ...others } = set;
    if (value !== undefined) onChange({ ...set, [name]: value });
    else onChange(Object.keys(others).length > 0 ? others : undefined);
  };
  return (
    <Line as="div">
      <span>{setting.label}</span>
      <div>
        <ul aria-label={setting.label}>
          {Object.entries(set).map(([name, value]) => {
            const parts = partsOf(value);
            return (
              <SetLine key={name}>
                <code>{name}</code>
                <Text
                  key={parts.to}
                  aria-label={`Value of ${name}`}
                  defaultValue={parts.to}
                  onBlur={(event) => {
                    const to = event.target.value.trim();
                    if (to !== "" && to !== parts.to) change(name, valueOfParts({ ...parts, to }));
                  }}
                />
                <Select
                  aria-label={`When ${name} is set`}
                  value={parts.on}
                  onChange={(event) => change(name, valueOfParts({ ...parts, on: event.target.value }))}
                >
                  <option value="both">on new and changed records</option>
                  <option value="new">on new records</option>
                  <option value="save">on changed records</option>
                </Select>
                <Small type="button" aria-label={`Stop setting ${name}`} onClick={() => change(name, undefined)}>
                  ✕
                </Small>
              </SetLine>
            );
          })}
        </ul>
        <AddMenu
          label="Add a column to set"
          options={sheet.fields
            .filter(({ name }) => !Object.hasOwn(set, name) && !sheet.keyColumns.includes(name))
            .map(({ name }) => ({ id: name, text: name }))}
          onAdd={(name) => change(name, firstSet(name))}
        />
        <Soft>In CEL, over form, actor and now: actor.name, actor.id, now, form.hours * form.rate.</Soft>
      </div>
    </Line>
  );
}
