import type { SheetAnswer } from "@loyal-quill/server/api";
import { styled } from "styled-components";
import { focusAfter } from "../parts/focus.js";
import { SelectLine, Small, TextLine } from "../parts/inputs.js";
import { texts } from "../texts.js";
import { ConditionLine } from "./condition-line.js";
import { addCheck, checksIn, conditionOfCheck, partOf, textOf, useEditing } from "./settings.js";

const says = texts.checkSettings;

const Check = styled.li`
  display: grid;
  gap: ${({ theme }) => theme.space(1)};
  padding: ${({ theme }) => `${theme.space(2)} 0 ${theme.space(2)} ${theme.space(2)}`};
  border-left: 2px solid ${({ theme }) => theme.rule};
  & + & { margin-top: ${({ theme }) => theme.space(2)}; }
`;

const Soft = styled.p`
  color: ${({ theme }) => theme.soft};
`;

/** What fields demand of each other. */
export function CheckSettings({ sheet }: { sheet: SheetAnswer }) {
  const editing = useEditing();
  const checks = checksIn(editing.content);
  const onPage = sheet.fields.filter((field) => field.onPage);
  const set = (index: number, part: string, value: unknown, what: string): void =>
    editing.edit([{ do: "set", path: ["checks", index, part], value }], what);
  return (
    <>
      <ConditionLine
        label={texts.stepSettings.askForAReason}
        place="form"
        value={textOf(partOf(editing.content, "save").reason)}
        onChange={(value) => {
          const { reason: _, ...others } = partOf(editing.content, "save");
          const reason = /^(true|false)$/.test(value) ? value === "true" : value;
          const isBare = value === "" && Object.keys(others).length === 0;
          editing.edit(
            [{ do: "set", path: isBare ? ["save"] : ["save", "reason"], value: value === "" ? undefined : reason }],
            texts.stepSettings.whenAReasonIsAskedFor,
          );
        }}
      />
      <Soft>{says.conditionsAcrossSeveralFieldsRulesFor}</Soft>
      <ul aria-label={says.checks}>
        {checks.map((check, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a check's place is what it is known by
          <Check key={index}>
            <ConditionLine
              label={says.condition}
              focusName={conditionOfCheck(index)}
              place="form"
              value={check.expect}
              onChange={(value) => set(index, "expect", value, says.aCheck)}
            />
            <TextLine
              label={says.errorMessage}
              value={check.message}
              onChange={(value) => set(index, "message", value, says.messageOfACheck)}
            />
            <SelectLine
              label={says.showErrorAt}
              value={check.at ?? ""}
              options={[{ id: "", text: says.topOfTheForm }, ...onPage.map(({ name }) => ({ id: name, text: name }))]}
              onChange={(id) => set(index, "at", id === "" ? undefined : id, says.placeOfACheck)}
            />
            <p>
              <Small
                type="button"
                onClick={() => {
                  editing.edit([{ do: "set", path: ["checks", index], value: undefined }], says.removeACheck);
                  focusAfter("[data-add-check]");
                }}
              >
                {says.removeThisCheck}
              </Small>
            </p>
          </Check>
        ))}
      </ul>
      <p>
        <Small type="button" data-add-check="" onClick={() => addCheck(editing)}>
          {says.addACheckAcrossFields}
        </Small>
      </p>
    </>
  );
}
