import type { RuleSetting, SettingPart } from "@loyal-quill/core";
import type { RuleChoice, SheetField } from "@loyal-quill/server/api";
import { useRef, useState } from "react";
import { styled } from "styled-components";
import { usePageFile } from "../../api/queries.js";
import { focusAfter } from "../../parts/focus.js";
import { useFocusRequest } from "../../parts/focus-request.js";
import { Select, Small, Text, TextLine } from "../../parts/inputs.js";
import { AddMenu } from "../../parts/menu.js";
import type { EditorProps } from "../editing/editor-props.js";
import {
  addRule,
  fittingRules,
  partsOfRule,
  type RuleParts,
  ruleOfParts,
  shownPart,
  useEditing,
  valueOfRule,
  withPart,
} from "../editing/settings.js";
import { ConditionLine } from "./condition-line.js";

const Row = styled.li`
  display: grid;
  gap: ${({ theme }) => theme.space(1)};
  padding: ${({ theme }) => `${theme.space(1)} 0`};
  > div:first-child { display: flex; flex-wrap: wrap; gap: ${({ theme }) => `0 ${theme.space(2)}`}; align-items: baseline; }
  > div:first-child > input { flex: 1 1 4rem; min-width: 4rem; font-family: ${({ theme }) => theme.wire}; font-size: 0.8125rem; }
  > div:first-child > span { flex: 1; }
`;

const List = styled.ul`
  border-left: 2px solid ${({ theme }) => theme.rule};
  padding-left: ${({ theme }) => theme.space(2)};
`;

interface RuleRowProps {
  readonly parts: RuleParts;
  /** What is known of the rule; undefined where the file names one that there is not. */
  readonly choice: RuleChoice | undefined;
  readonly field: SheetField;
  /** What its value is known by to whoever asks for the focus. */
  readonly focusName: string;
  readonly onChange: (parts: RuleParts | null) => void;
}

interface PartProps {
  readonly part: SettingPart;
  readonly id: string;
  readonly label: string;
  readonly value: unknown;
  /** What it is known by to whoever asks for the focus. */
  readonly focusName: string;
  readonly onChange: (value: unknown) => void;
}

/** One value of a rule's setting. */
function Part({ part, id, label, value, focusName, onChange }: PartProps) {
  const input = useRef<HTMLInputElement>(null);
  useFocusRequest(focusName, () => input.current?.select());
  if (part.as === "options")
    return (
      <Select
        aria-label={label}
        value={shownPart(value, part)}
        onChange={(event) => onChange(withPart(value, part, event.target.value))}
      >
        {part.options?.map((option) => (
          <option key={option.value} value={option.value}>
            {option.label}
          </option>
        ))}
      </Select>
    );
  return (
    <>
      <label htmlFor={id}>{label}</label>
      <Text
        ref={input}
        id={id}
        value={shownPart(value, part)}
        autoComplete="off"
        onChange={(event) => onChange(withPart(value, part, event.target.value))}
      />
    </>
  );
}

function RuleRow({ parts, choice, field, focusName, onChange }: RuleRowProps) {
  const [isOpen, setOpen] = useState(parts.when !== "" || parts.message !== "");
  const text = choice?.label ?? parts.rule;
  const settings = choice?.parts ?? [];
  // A rule that is one value is named by the value's label.
  const isValue = settings.length === 1 && settings[0]?.as !== "options";
  return (
    <Row>
      <div>
        {!isValue && <span>{text}</span>}
        {settings.map((part) => (
          <Part
            key={part.name}
            part={part}
            id={`${field.name}-${parts.rule}${part.name === null ? "" : `-${part.name}`}`}
            label={isValue ? text : part.label}
            value={parts.value}
            focusName={part === settings.find(({ as }) => as !== "options") ? focusName : ""}
            onChange={(value) => onChange({ ...parts, value })}
          />
        ))}
        {!isOpen && (
          <Small type="button" onClick={() => setOpen(true)} aria-label={`Edit condition and message: ${text}`}>
            When, message
          </Small>
        )}
        <Small type="button" onClick={() => onChange(null)} aria-label={`Remove rule: ${text}`}>
          Remove
        </Small>
      </div>
      {isOpen && (
        <>
          <ConditionLine
            label="When"
            place="form"
            example='form.status == "live"'
            value={parts.when}
            onChange={(when) => onChange({ ...parts, when })}
          />
          <TextLine label="Message" value={parts.message} onChange={(message) => onChange({ ...parts, message })} />
        </>
      )}
    </Row>
  );
}

/** The rules that the page itself has for a field. */
export function RulesEditor({ field, value, onChange }: EditorProps) {
  const editing = useEditing();
  const rules = (value ?? []) as readonly RuleSetting[];
  const choices = usePageFile().data?.rules ?? [];
  if (!field) return null;
  const fitting = fittingRules(choices, field.kind);
  const change = (index: number, parts: RuleParts | null): void => {
    if (!parts) focusAfter(`[data-settings-of="${CSS.escape(field.name)}"] [aria-haspopup]`);
    const next = rules.flatMap((rule, each) => (each !== index ? [rule] : parts ? [ruleOfParts(parts)] : []));
    onChange(next.length > 0 ? next : undefined);
  };
  return (
    <div>
      {rules.length > 0 && (
        <List aria-label={`Rules of ${field.name}`}>
          {rules.map((rule, index) => {
            const parts = partsOfRule(rule);
            return (
              <RuleRow
                // biome-ignore lint/suspicious/noArrayIndexKey: a rule's place is what it is known by
                key={`${index} ${parts.rule}`}
                parts={parts}
                choice={choices.find(({ name }) => name === parts.rule)}
                field={field}
                focusName={valueOfRule(field.name, index)}
                onChange={(next) => change(index, next)}
              />
            );
          })}
        </List>
      )}
      <AddMenu
        label="Add a rule"
        options={fitting.map(({ name, label }) => ({ id: name, text: label }))}
        onAdd={(added) => {
          const rule = fitting.find(({ name }) => name === added);
          if (rule) addRule(editing, field.name, rule);
        }}
      />
    </div>
  );
}
