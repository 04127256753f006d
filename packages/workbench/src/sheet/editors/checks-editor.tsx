import { styled } from "styled-components";
import { focusAfter } from "../../parts/focus.js";
import { SelectLine, Small, TextLine } from "../../parts/inputs.js";
import type { EditorProps } from "../editing/editor-props.js";
import { addCheck, checksIn, conditionOfCheck, useEditing } from "../editing/settings.js";
import { ConditionLine } from "./condition-line.js";

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
export function ChecksEditor({ sheet }: EditorProps) {
  const editing = useEditing();
  const checks = checksIn(editing.content);
  const onPage = sheet.fields.filter((field) => field.onPage);
  const set = (index: number, part: string, value: unknown, what: string): void =>
    editing.edit([{ do: "set", path: ["checks", index, part], value }], what);
  return (
    <>
      <Soft>Conditions across several fields. Rules for a single field are beside it, below.</Soft>
      <ul aria-label="Checks">
        {checks.map((check, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a check's place is what it is known by
          <Check key={index}>
            <ConditionLine
              label="Condition"
              focusName={conditionOfCheck(index)}
              place="form"
              example="form.warning_m > form.alert_m"
              value={check.expect}
              onChange={(value) => set(index, "expect", value, "a check")}
            />
            <TextLine
              label="Error message"
              value={check.message}
              onChange={(value) => set(index, "message", value, "message of a check")}
            />
            <SelectLine
              label="Show error at"
              value={check.at ?? ""}
              options={[{ id: "", text: "Top of the form" }, ...onPage.map(({ name }) => ({ id: name, text: name }))]}
              onChange={(id) => set(index, "at", id === "" ? undefined : id, "place of a check")}
            />
            <p>
              <Small
                type="button"
                onClick={() => {
                  editing.edit([{ do: "set", path: ["checks", index], value: undefined }], "remove a check");
                  focusAfter("[data-add-check]");
                }}
              >
                Remove this check
              </Small>
            </p>
          </Check>
        ))}
      </ul>
      <p>
        <Small type="button" data-add-check="" onClick={() => addCheck(editing)}>
          Add a check across fields
        </Small>
      </p>
    </>
  );
}
