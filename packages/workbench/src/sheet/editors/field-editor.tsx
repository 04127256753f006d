import type { SheetAnswer, SheetField } from "@loyal-quill/server/api";
import { styled } from "styled-components";
import { usePageFile } from "../../api/queries.js";
import { Small, TextLine } from "../../parts/inputs.js";
import { FindingsHere } from "../editing/findings.js";
import { partOf, textOf, useEditing } from "../editing/settings.js";
import { isFitting, SettingLine } from "./setting-line.js";

const Settings = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: ${({ theme }) => theme.space(2)};
  details > * + * { margin-top: ${({ theme }) => theme.space(2)}; }
  summary { cursor: pointer; color: ${({ theme }) => theme.verdigris}; min-height: 24px; }
`;

const Actions = styled.p`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(4)}`};
`;

interface FieldEditorProps {
  readonly field: SheetField;
  readonly sheet: SheetAnswer;
  readonly onMove: (by: -1 | 1) => void;
  readonly onTakeOff: () => void;
  readonly onClose: () => void;
}

/** The settings of one field: its rules first, what is rarely needed folded. What is left out is as the column has it. */
export function FieldEditor({ field, sheet, onMove, onTakeOff, onClose }: FieldEditorProps) {
  const { content, edit } = useEditing();
  const { name } = field;
  const settings = (usePageFile().data?.settings.field ?? []).filter((setting) =>
    isFitting({ setting, sheet, field }, content),
  );
  const lines = (isRare: boolean) =>
    settings
      .filter(({ rare = false }) => rare === isRare)
      .map((setting) => <SettingLine key={setting.path.join(".")} setting={setting} sheet={sheet} field={field} />);
  return (
    <Settings role="group" aria-label={`Settings of ${name}`} data-settings-of={name}>
      <h2>
        <code>{name}</code> {field.label}{" "}
        <Small type="button" onClick={onClose}>
          Close
        </Small>
      </h2>
      <FindingsHere of={{ field: name }} />
      {lines(false)}
      <details>
        <summary>More settings</summary>
        {lines(true)}
        <TextLine
          label="Name in the form"
          value={textOf(partOf(content, "names")[name])}
          placeholder={name}
          onChange={(value) =>
            edit(
              [{ do: "set", path: ["names", name], value: value === "" ? undefined : value }],
              `name of ${name} in the form`,
            )
          }
        />
      </details>
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
      </Actions>
    </Settings>
  );
}
