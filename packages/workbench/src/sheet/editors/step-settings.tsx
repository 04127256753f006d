import type { StepName } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import type { ReactNode } from "react";
import { styled } from "styled-components";
import { usePageFile } from "../../api/queries.js";
import { CheckBox, Line } from "../../parts/inputs.js";
import { useEditing } from "../editing/settings.js";
import { isFitting, SettingLine } from "./setting-line.js";

const Lines = styled.div`
  display: grid;
  gap: ${({ theme }) => theme.space(2)};
  align-content: start;
  max-width: 40rem;
`;

const Soft = styled.p`
  color: ${({ theme }) => theme.soft};
`;

/** The fields that a form brings, and the columns that could be among them. */
function ReadFields({ sheet }: { sheet: SheetAnswer }) {
  const { edit } = useEditing();
  const off = sheet.fields.filter((field) => !field.onPage);
  const taken = sheet.fields.filter((field) => field.onPage && !field.readOnly).map(({ name }) => name);
  return (
    <>
      <Soft>Only these fields are taken from a form: {taken.join(", ")}.</Soft>
      <Line>
        <span>Add</span>
        <span>
          {off.length === 0 && "All columns are on the page."}
          {off.map(({ name }) => (
            <CheckBox
              key={name}
              label={name}
              checked={false}
              onChange={() => edit([{ do: "add-fields", names: [name], before: null }], `add ${name}`)}
            />
          ))}
        </span>
      </Line>
    </>
  );
}

/** What a step does of which nothing can be set. */
const about: Partial<Readonly<Record<StepName, ReactNode>>> = {
  compare: (
    <Soft>
      No settings. What the form showed, what is stored now and what was submitted are compared field by field;
      untouched fields are never written.
    </Soft>
  ),
  write: (
    <Soft>
      A single statement locks the row by key, access and version, updates the changed columns and writes the log entry.
      You can save through your own function or procedure instead.
    </Soft>
  ),
};

/** What can be set about a step, in its own place. */
export function StepSettings({ step, sheet }: { step: StepName; sheet: SheetAnswer }) {
  const { content } = useEditing();
  const settings = usePageFile().data?.settings.page ?? [];
  if (!content) return <Soft>The page file is not valid YAML. Fix it in File first.</Soft>;
  return (
    <Lines>
      {about[step]}
      {step === "read" && <ReadFields sheet={sheet} />}
      {settings
        .filter((setting) => setting.step === step && isFitting({ setting, sheet, field: null }, content))
        .map((setting) => (
          <SettingLine key={setting.path.join(".")} setting={setting} sheet={sheet} field={null} />
        ))}
    </Lines>
  );
}
