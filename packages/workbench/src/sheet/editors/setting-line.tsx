import { wordsOf } from "@loyal-quill/core";
import type { ComponentType, ReactNode } from "react";
import { styled } from "styled-components";
import { usePageFile } from "../../api/queries.js";
import { CheckBox, Line, SelectLine, Small, TextLine } from "../../parts/inputs.js";
import { AddMenu } from "../../parts/menu.js";
import type { EditorProps, SettingProps } from "../editing/editor-props.js";
import { isPlain, settingsOf, settingsOfField, textOf, useEditing } from "../editing/settings.js";
import { ChecksEditor } from "./checks-editor.js";
import { ChoicesEditor } from "./choices-editor.js";
import { ConditionLine } from "./condition-line.js";
import { ConstraintsEditor } from "./constraints-editor.js";
import { KeyEditor } from "./key-editor.js";
import { RelatedEditor } from "./related-editor.js";
import { RulesEditor } from "./rules-editor.js";
import { SetEditor } from "./set-editor.js";
import { TidyEditor } from "./tidy-editor.js";

/** The editors of settings that are more than one control, by their places in the file. */
const editors: Readonly<Record<string, ComponentType<EditorProps>>> = {
  "record.key": KeyEditor,
  related: RelatedEditor,
  set: SetEditor,
  checks: ChecksEditor,
  constraints: ConstraintsEditor,
  rules: RulesEditor,
  tidy: TidyEditor,
  choices: ChoicesEditor,
};

const Row = styled.div<{ $isSet: boolean }>`
  > div > label, > div > span:first-child { ${({ $isSet }) => $isSet && "font-weight: 700;"} }
`;

const Help = styled.p`
  margin-left: calc(6.5rem + ${({ theme }) => theme.space(2)});
  font-size: 0.8125rem;
  line-height: 1.35;
  color: ${({ theme }) => theme.soft};
`;

/** What a setting says, with the file's own names in the mono face. */
function About({ text }: { text: string }) {
  const plain = text.replaceAll(/\[([^\]]+)\]\([^)]*\)/g, "$1");
  return plain.split("`").map((part, index) =>
    // biome-ignore lint/suspicious/noArrayIndexKey: every second part is a name
    index % 2 === 1 ? <code key={index}>{part}</code> : part,
  );
}

function ColumnsLine({ setting, sheet, value, onChange }: EditorProps) {
  const { editor } = setting;
  if (editor?.kind !== "columns") return null;
  const names = Array.isArray(value) ? value.map(String) : [];
  const set = (next: readonly string[]): void => onChange(next.length > 0 ? next : undefined);
  const offered = editor.of === "page" ? sheet.fields.filter((field) => field.onPage) : sheet.fields;
  return (
    <Line>
      <span>{setting.label}</span>
      <span>
        {names.map((name) => (
          <CheckBox key={name} label={name} checked onChange={() => set(names.filter((each) => each !== name))} />
        ))}
        <AddMenu
          label={editor.add}
          options={offered.filter(({ name }) => !names.includes(name)).map(({ name }) => ({ id: name, text: name }))}
          onAdd={(name) => set([...names, name])}
        />
      </span>
    </Line>
  );
}

function ChoiceLine({ setting, sheet, field, value, onChange }: EditorProps) {
  const languages = usePageFile().data?.languages ?? [];
  const { editor, label } = setting;
  if (editor?.kind !== "choice") return null;
  const byDefault = { id: "", text: "Default (from the column)" };
  const options = {
    languages: () => languages.map(({ id, name }, index) => ({ id: index === 0 ? "" : id, text: name })),
    order: () => [
      { id: "", text: "the key" },
      ...sheet.fields.flatMap(({ name }) => [
        { id: name, text: name },
        { id: `-${name}`, text: `${name}, last first` },
      ]),
    ],
    controls: () => [byDefault, ...(field?.controls ?? []).map((id) => ({ id, text: id }))],
    shown: () => [{ id: "", text: "Automatic" }, ...(field?.shows ?? []).map((id) => ({ id, text: id }))],
  };
  const offered = typeof editor.options === "string" ? options[editor.options]() : editor.options;
  return (
    <SelectLine
      label={label}
      value={textOf(value)}
      options={offered}
      onChange={(id) => onChange(id === "" ? undefined : id === "true" || id === "false" ? id === "true" : id)}
    />
  );
}

/** The control of a setting, by the kind that its description names. */
function Control(props: EditorProps): ReactNode {
  const { setting, field, value, onChange } = props;
  const { editor, label, path } = setting;
  switch (editor?.kind) {
    case "line": {
      const instead = editor.instead && field ? field[editor.instead] : null;
      const isFirst = field !== null && path[0] === "label";
      return (
        <TextLine
          label={label}
          focusName={isFirst ? settingsOfField(field.name) : label}
          value={textOf(value)}
          placeholder={instead ?? editor.placeholder ?? ""}
          onChange={(typed) => onChange(typed === "" ? undefined : typed)}
        />
      );
    }
    case "choice":
      return <ChoiceLine {...props} />;
    case "check":
      return (
        <Line>
          <span>{label}</span>
          <span>
            <CheckBox
              label={editor.text}
              checked={value === editor.value}
              onChange={(checked) => onChange(checked ? editor.value : undefined)}
            />
          </span>
        </Line>
      );
    case "columns":
      return <ColumnsLine {...props} />;
    case "condition":
      return (
        <ConditionLine
          label={label}
          place={editor.place}
          example={editor.example}
          value={textOf(value)}
          onChange={(typed) => {
            const isPlainly = editor.orPlain && /^(true|false)$/.test(typed);
            onChange(typed === "" ? undefined : isPlainly ? typed === "true" : typed);
          }}
        />
      );
    case "own": {
      const Own = editors[path.join(".")];
      return Own ? <Own {...props} /> : null;
    }
    default:
      return null;
  }
}

/** A value at a place of the file. */
const valueAt = (content: unknown, path: readonly string[]): unknown =>
  path.reduce<unknown>((inside, name) => (isPlain(inside) ? inside[name] : undefined), content);

/** One setting: its control, what it says, and the way back to what holds without it. */
export function SettingLine({ setting, sheet, field }: SettingProps) {
  const { content, edit } = useEditing();
  const { path, editor } = setting;
  const value = valueAt(field ? settingsOf(content, field.name) : content, path);
  const onChange = (next: unknown): void => {
    const [group = ""] = path;
    const inGroup = path.length > 1 ? content?.[group] : undefined;
    const isLast = next === undefined && isPlain(inGroup) && Object.keys(inGroup).length === 1;
    const place = field ? ["fields", field.name, ...path] : isLast ? [group] : path;
    edit([{ do: "set", path: place, value: next }], field ? `${wordsOf(setting)} of ${field.name}` : wordsOf(setting));
  };
  const isSet = value !== undefined && value !== null;
  const isResettable = isSet && setting.without !== null && editor?.kind !== "own";
  return (
    <Row
      $isSet={isSet}
      onKeyDown={(event) => {
        if (!isResettable || !event.altKey || event.key !== "Backspace") return;
        event.preventDefault();
        onChange(undefined);
      }}
    >
      <Control setting={setting} sheet={sheet} field={field} value={value} onChange={onChange} />
      <Help>
        <About text={setting.about} />
        {isResettable && (
          <>
            {" "}
            <Small
              type="button"
              title="Alt+Backspace"
              aria-label={`Reset ${setting.label}`}
              onClick={() => onChange(undefined)}
            >
              Reset
            </Small>
          </>
        )}
      </Help>
    </Row>
  );
}

/** Whether a setting is of any use here: for the field's column, and beside the settings that it needs. */
export function isFitting({ setting, field }: SettingProps, content: unknown): boolean {
  const { editor, fits, path } = setting;
  if (editor === null) return false;
  if (fits === "text") return field?.kind === "text";
  if (fits === "reference") return field !== null && field.references.length > 0 && field.controls.includes("choice");
  return setting.with === undefined || valueAt(content, [...path.slice(0, -1), setting.with]) !== undefined;
}
