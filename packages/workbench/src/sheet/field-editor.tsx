import type { FieldSettings, Tidying } from "@loyal-quill/core";
import type { SheetField } from "@loyal-quill/server/api";
import { styled } from "styled-components";
import { CheckBox, Line, Select, SelectLine, Small, TextLine } from "../parts/inputs.js";
import { ConditionLine } from "./condition-line.js";
import { RulesEditor } from "./rules-editor.js";
import { partOf, settingsOf, settingsOfField, textOf, useEditing } from "./settings.js";

const settingOf = (what: string | number, name: string | number) => `${what} of ${name}`;

const Settings = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: ${({ theme }) => theme.space(1.5)};
  padding: ${({ theme }) => `${theme.space(1.5)} 0 ${theme.space(2)} ${theme.space(2)}`};
  border-left: 3px solid ${({ theme }) => theme.verdigris};
`;

const Actions = styled.p`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(4)}`};
`;

const plainTidyings = ["trim", "single-spaces", "upper", "lower"] as const;

interface FieldEditorProps {
  readonly field: SheetField;
  /** All columns of the table, for what refers to another one. */
  readonly columns: readonly string[];
  readonly onMove: (by: -1 | 1) => void;
  readonly onTakeOff: () => void;
  readonly onClose: () => void;
}

/** The settings of one field, beside it. What is left empty is as the column has it. */
export function FieldEditor({ field, columns, onMove, onTakeOff, onClose }: FieldEditorProps) {
  const { content, edit } = useEditing();
  const { name } = field;
  const settings = settingsOf(content, name);
  const set = (setting: keyof FieldSettings, value: unknown, what: string = setting): void =>
    edit([{ do: "set", path: ["fields", name, setting], value }], settingOf(what, name));
  const line = (setting: "label" | "help" | "unit" | "hint" | "group" | "show" | "default", value: string): void =>
    set(setting, value === "" ? undefined : value);
  const tidy = settings.tidy ?? [];
  const setTidy = (next: readonly Tidying[]): void => set("tidy", next.length > 0 ? next : undefined, "tidying");
  const slug = tidy.find((each) => typeof each === "object")?.slug ?? "";
  const choices = settings.choices ?? {};
  const setChoices = (next: NonNullable<FieldSettings["choices"]>): void => {
    const kept = Object.fromEntries(Object.entries(next).filter(([, value]) => value !== undefined && value !== ""));
    set("choices", Object.keys(kept).length > 0 ? kept : undefined);
  };
  const isChoice = field.controls.includes("choice");
  const isText = field.kind === "text";
  return (
    <Settings role="group" aria-label={`Settings of ${name}`} data-settings-of={name}>
      <TextLine
        label="Label"
        focusName={settingsOfField(name)}
        value={settings.label ?? ""}
        placeholder={field.label}
        onChange={(value) => line("label", value)}
      />
      <TextLine
        label="Help"
        value={settings.help ?? ""}
        placeholder={field.comment ?? ""}
        onChange={(value) => line("help", value)}
      />
      <TextLine label="Unit" value={settings.unit ?? ""} onChange={(value) => line("unit", value)} />
      <TextLine label="Placeholder" value={settings.hint ?? ""} onChange={(value) => line("hint", value)} />
      <TextLine label="Group" value={settings.group ?? ""} onChange={(value) => line("group", value)} />
      <SelectLine
        label="Control"
        value={settings.control ?? ""}
        options={[{ id: "", text: "Default (from the column)" }, ...field.controls.map((id) => ({ id, text: id }))]}
        onChange={(id) => set("control", id === "" ? undefined : id)}
      />
      <SelectLine
        label="Sensitive"
        value={String(settings.sensitive ?? "")}
        options={[
          { id: "", text: "Default (by the column's name)" },
          { id: "true", text: "yes, not even shown in the form" },
          { id: "shown", text: "yes, but shown in the form" },
          { id: "false", text: "no" },
        ]}
        onChange={(id) => set("sensitive", id === "" ? undefined : id === "shown" ? id : id === "true")}
      />
      <Line>
        <span>Shown</span>
        <span>
          <CheckBox
            label="read-only"
            checked={settings["read-only"] === true}
            onChange={(checked) => set("read-only", checked ? true : undefined, "read-only")}
          />
        </span>
      </Line>
      {isText && (
        <SelectLine
          label="Left empty"
          value={settings.empty ?? ""}
          options={[
            { id: "", text: "Default (from the column)" },
            { id: "nothing", text: "stores NULL" },
            { id: "text", text: "stores an empty string" },
          ]}
          onChange={(id) => set("empty", id === "" ? undefined : id, "what it stores when left empty")}
        />
      )}
      {isText && (
        <Line>
          <span>Tidy</span>
          <span>
            {plainTidyings.map((each) => (
              <CheckBox
                key={each}
                label={each}
                checked={tidy.includes(each)}
                onChange={(checked) => setTidy(checked ? [...tidy, each] : tidy.filter((other) => other !== each))}
              />
            ))}
            slug of{" "}
            <Select
              aria-label="Slug of"
              value={slug}
              onChange={(event) => {
                const others = tidy.filter((each) => typeof each !== "object");
                setTidy(event.target.value === "" ? others : [...others, { slug: event.target.value }]);
              }}
            >
              <option value="">–</option>
              {columns
                .filter((column) => column !== name)
                .map((column) => (
                  <option key={column}>{column}</option>
                ))}
            </Select>
          </span>
        </Line>
      )}
      {isChoice && field.references.length > 0 && (
        <>
          <SelectLine
            label="Choose from"
            value={choices.by ?? ""}
            options={[
              { id: "", text: "Automatic (by table size)" },
              { id: "list", text: "List of all" },
              { id: "search", text: "Search" },
            ]}
            onChange={(by) => setChoices({ ...choices, by: by === "" ? undefined : (by as "list" | "search") })}
          />
          <ConditionLine
            label="Filter options"
            place="choices"
            field={name}
            value={choices.where ?? ""}
            onChange={(where) => setChoices({ ...choices, where })}
          />
        </>
      )}
      <TextLine
        label="Default value"
        value={settings.default === undefined ? "" : String(settings.default)}
        placeholder="now, actor.id or 2.5"
        onChange={(value) => line("default", value)}
      />
      <TextLine
        label="Name in the form"
        value={textOf(partOf(content, "names")[name])}
        placeholder={name}
        onChange={(value) =>
          edit(
            [{ do: "set", path: ["names", name], value: value === "" ? undefined : value }],
            settingOf("Name in the form", name),
          )
        }
      />
      <RulesEditor
        field={field}
        rules={settings.rules ?? []}
        onChange={(rules, what) => edit([{ do: "set", path: ["fields", name, "rules"], value: rules }], what)}
      />
      <ConditionLine
        label="Show field when"
        place="row"
        value={settings.when ?? ""}
        onChange={(when) => set("when", when === "" ? undefined : when, "when it is on the form")}
      />
      <Actions>
        <Small type="button" onClick={() => onMove(-1)}>
          Move up
        </Small>
        <Small type="button" onClick={() => onMove(1)}>
          Move down
        </Small>
        <Small type="button" onClick={onTakeOff}>
          Remove from page
        </Small>
        <Small type="button" onClick={onClose}>
          Done
        </Small>
      </Actions>
    </Settings>
  );
}
