import type { FieldSettings, Tidying } from "@loyal-quill/core";
import type { SheetField } from "@loyal-quill/server/api";
import { styled } from "styled-components";
import { CheckBox, Line, Select, SelectLine, Small, TextLine } from "../parts/inputs.js";
import { texts } from "../texts.js";
import { ConditionLine } from "./condition-line.js";
import { RulesEditor } from "./rules-editor.js";
import { partOf, settingsOf, settingsOfField, textOf, useEditing } from "./settings.js";

const says = texts.fieldEditor;

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

/** The settings of one field, beside it. What is left empty is Default (from the column). */
export function FieldEditor({ field, columns, onMove, onTakeOff, onClose }: FieldEditorProps) {
  const { content, edit } = useEditing();
  const { name } = field;
  const settings = settingsOf(content, name);
  const set = (setting: keyof FieldSettings, value: unknown, what: string = setting): void =>
    edit([{ do: "set", path: ["fields", name, setting], value }], says.of(what, name));
  const line = (setting: "label" | "help" | "unit" | "hint" | "group" | "show" | "default", value: string): void =>
    set(setting, value === "" ? undefined : value);
  const tidy = settings.tidy ?? [];
  const setTidy = (next: readonly Tidying[]): void => set("tidy", next.length > 0 ? next : undefined, says.tidying);
  const slug = tidy.find((each) => typeof each === "object")?.slug ?? "";
  const choices = settings.choices ?? {};
  const setChoices = (next: NonNullable<FieldSettings["choices"]>): void => {
    const kept = Object.fromEntries(Object.entries(next).filter(([, value]) => value !== undefined && value !== ""));
    set("choices", Object.keys(kept).length > 0 ? kept : undefined);
  };
  const isChoice = field.controls.includes("choice");
  const isText = field.kind === "text";
  return (
    <Settings role="group" aria-label={says.settingsOf(name)} data-settings-of={name}>
      <TextLine
        label={says.label}
        focusName={settingsOfField(name)}
        value={settings.label ?? ""}
        placeholder={field.label}
        onChange={(value) => line("label", value)}
      />
      <TextLine
        label={says.help}
        value={settings.help ?? ""}
        placeholder={field.comment ?? ""}
        onChange={(value) => line("help", value)}
      />
      <TextLine label={says.unit} value={settings.unit ?? ""} onChange={(value) => line("unit", value)} />
      <TextLine label={says.hint} value={settings.hint ?? ""} onChange={(value) => line("hint", value)} />
      <TextLine label={says.group} value={settings.group ?? ""} onChange={(value) => line("group", value)} />
      <SelectLine
        label={says.control}
        value={settings.control ?? ""}
        options={[{ id: "", text: says.defaultFromTheColumn }, ...field.controls.map((id) => ({ id, text: id }))]}
        onChange={(id) => set("control", id === "" ? undefined : id)}
      />
      <SelectLine
        label={says.values}
        value={String(settings.sensitive ?? "")}
        options={[
          { id: "", text: says.byTheColumnsName },
          { id: "true", text: says.sensitive },
          { id: "shown", text: says.sensitiveButShown },
          { id: "false", text: says.notSensitive },
        ]}
        onChange={(id) => set("sensitive", id === "" ? undefined : id === "shown" ? id : id === "true")}
      />
      <Line>
        <span>{says.shown}</span>
        <span>
          <CheckBox
            label={says.readOnly}
            checked={settings["read-only"] === true}
            onChange={(checked) => set("read-only", checked ? true : undefined, "read-only")}
          />
        </span>
      </Line>
      {isText && (
        <SelectLine
          label={says.leftEmpty}
          value={settings.empty ?? ""}
          options={[
            { id: "", text: says.defaultFromTheColumn },
            { id: "nothing", text: says.storesNull },
            { id: "text", text: says.storesEmptyText },
          ]}
          onChange={(id) => set("empty", id === "" ? undefined : id, says.whatItStoresLeftEmpty)}
        />
      )}
      {isText && (
        <Line>
          <span>{says.tidy}</span>
          <span>
            {plainTidyings.map((each) => (
              <CheckBox
                key={each}
                label={each}
                checked={tidy.includes(each)}
                onChange={(checked) => setTidy(checked ? [...tidy, each] : tidy.filter((other) => other !== each))}
              />
            ))}
            {says.slugOf}{" "}
            <Select
              aria-label={says.slugOfField}
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
            label={says.chooseFrom}
            value={choices.by ?? ""}
            options={[
              { id: "", text: says.automaticByTableSize },
              { id: "list", text: says.listOfAll },
              { id: "search", text: says.search },
            ]}
            onChange={(by) => setChoices({ ...choices, by: by === "" ? undefined : (by as "list" | "search") })}
          />
          <ConditionLine
            label={says.filterOptions}
            place="choices"
            field={name}
            value={choices.where ?? ""}
            onChange={(where) => setChoices({ ...choices, where })}
          />
        </>
      )}
      <TextLine
        label={says.defaultValue}
        value={settings.default === undefined ? "" : String(settings.default)}
        placeholder={says.exampleOfADefault}
        onChange={(value) => line("default", value)}
      />
      <TextLine
        label={says.formName}
        value={textOf(partOf(content, "names")[name])}
        placeholder={name}
        onChange={(value) =>
          edit(
            [{ do: "set", path: ["names", name], value: value === "" ? undefined : value }],
            says.of(says.formName, name),
          )
        }
      />
      <RulesEditor
        field={field}
        rules={settings.rules ?? []}
        onChange={(rules, what) => edit([{ do: "set", path: ["fields", name, "rules"], value: rules }], what)}
      />
      <ConditionLine
        label={says.showFieldWhen}
        place="row"
        value={settings.when ?? ""}
        onChange={(when) => set("when", when === "" ? undefined : when, says.whenItIsOnTheForm)}
      />
      <Actions>
        <Small type="button" onClick={() => onMove(-1)}>
          {says.moveUp}
        </Small>
        <Small type="button" onClick={() => onMove(1)}>
          {says.moveDown}
        </Small>
        <Small type="button" onClick={onTakeOff}>
          {says.removeFromPage}
        </Small>
        <Small type="button" onClick={onClose}>
          {says.done}
        </Small>
      </Actions>
    </Settings>
  );
}
