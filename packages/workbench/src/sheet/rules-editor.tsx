import type { RuleSetting } from "@loyal-quill/core";
import type { SheetField } from "@loyal-quill/server/api";
import { useRef, useState } from "react";
import { styled } from "styled-components";
import { focusAfter } from "../parts/focus.js";
import { useFocusRequest } from "../parts/focus-request.js";
import { Select, Small, Text, TextLine } from "../parts/inputs.js";
import { AddMenu } from "../parts/menu.js";
import { ConditionLine } from "./condition-line.js";
import {
  addRule,
  asBound,
  fittingRules,
  partsOfRule,
  type RuleName,
  type RuleParts,
  ruleNames,
  ruleOfParts,
  useDesk,
  valueOfRule,
} from "./settings.js";

const Row = styled.li`
  display: grid;
  gap: ${({ theme }) => theme.space(1)};
  padding: ${({ theme }) => `${theme.space(1)} 0`};
  > div:first-child { display: flex; gap: ${({ theme }) => theme.space(2)}; align-items: baseline; }
  > div:first-child > input { flex: 1; min-width: 4rem; font-family: ${({ theme }) => theme.wire}; font-size: 0.8125rem; }
  > div:first-child > span { flex: 1; }
`;

const List = styled.ul`
  border-left: 2px solid ${({ theme }) => theme.rule};
  padding-left: ${({ theme }) => theme.space(2)};
`;

function shownValue(value: unknown): string {
  return Array.isArray(value) ? value.join(", ") : String(value);
}

function readValue(rule: RuleName, typed: string): unknown {
  if (rule === "one-of") return typed.split(",").map((each) => each.trim());
  if (rule === "min-length" || rule === "max-length") return /^\d{1,9}$/.test(typed) ? Number(typed) : typed;
  return rule === "pattern" ? typed : asBound(typed);
}

interface RuleRowProps {
  readonly parts: RuleParts;
  readonly field: SheetField;
  /** What its value is known by to whoever asks for the focus. */
  readonly focusName: string;
  readonly onChange: (parts: RuleParts | null) => void;
}

function RuleRow({ parts, field, focusName, onChange }: RuleRowProps) {
  const [isOpen, setOpen] = useState(parts.when !== "" || parts.message !== "");
  const { text } = ruleNames.find((rule) => rule.id === parts.rule) ?? { text: parts.rule };
  const input = useRef<HTMLInputElement>(null);
  useFocusRequest(focusName, () => input.current?.select());
  const demands = !["required", "e-mail", "web-address", "unique"].includes(parts.rule);
  return (
    <Row>
      <div>
        {demands ? <label htmlFor={`${field.name}-${parts.rule}`}>{text}</label> : null}
        {demands && (
          <Text
            ref={input}
            id={`${field.name}-${parts.rule}`}
            value={shownValue(parts.value)}
            autoComplete="off"
            onChange={(event) => onChange({ ...parts, value: readValue(parts.rule, event.target.value) })}
          />
        )}
        {!demands && <span>{text}</span>}
        {parts.rule === "unique" && (
          <Select
            aria-label="How texts are compared"
            value={String(parts.value)}
            onChange={(event) =>
              onChange({ ...parts, value: event.target.value === "true" ? true : event.target.value })
            }
          >
            <option value="true">exactly</option>
            <option value="ignoring-case">ignoring case</option>
          </Select>
        )}
        {!isOpen && (
          <Small type="button" onClick={() => setOpen(true)} aria-label={`Edit condition and message: ${text}`}>
            when, message
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
            value={parts.when}
            onChange={(when) => onChange({ ...parts, when })}
          />
          <TextLine label="Message" value={parts.message} onChange={(message) => onChange({ ...parts, message })} />
        </>
      )}
    </Row>
  );
}

interface RulesEditorProps {
  readonly field: SheetField;
  readonly rules: readonly RuleSetting[];
  readonly onChange: (rules: readonly RuleSetting[] | undefined, what: string) => void;
}

/** The rules that the page itself has for a field. */
export function RulesEditor({ field, rules, onChange }: RulesEditorProps) {
  const desk = useDesk();
  const change = (index: number, parts: RuleParts | null): void => {
    if (!parts) focusAfter(`[data-settings-of="${CSS.escape(field.name)}"] [aria-haspopup]`);
    const next = rules.flatMap((rule, each) => (each !== index ? [rule] : parts ? [ruleOfParts(parts)] : []));
    onChange(next.length > 0 ? next : undefined, `${parts ? "a rule" : "remove a rule"} of ${field.name}`);
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
        options={fittingRules(field.kind)}
        onAdd={(rule) => addRule(desk, field.name, rule as RuleName)}
      />
    </div>
  );
}
