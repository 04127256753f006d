import type { SheetAnswer } from "@loyal-quill/server/api";
import { type DragEvent, useMemo, useState } from "react";
import { styled } from "styled-components";
import FileEditor from "../../code/file-editor.js";
import { Small } from "../../parts/inputs.js";
import { ExportCode } from "../draft/export-code.js";
import { Findings } from "../editing/findings.js";
import type { Found } from "../editing/settings.js";

const Pane = styled.div<{ $over: boolean }>`
  position: sticky;
  top: 2.6rem;
  align-self: start;
  min-width: 0;
  .cm-editor { max-height: calc(100vh - 12rem); }
  outline: ${({ theme, $over }) => ($over ? `2px dashed ${theme.verdigris}` : "none")};
`;

const Foot = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => theme.space(4)};
  padding: ${({ theme }) => theme.space(1)};
  color: ${({ theme }) => theme.soft};
  font-size: 0.875rem;
`;

interface FilePaneProps {
  readonly name: string;
  readonly text: string;
  readonly found: readonly Found[];
  readonly sheet: SheetAnswer;
  readonly onChange: (text: string, what: string) => void;
  readonly onGo: (found: Found) => void;
}

/** Page file, beside the page. A file can be dropped here, and taken out. */
export default function FilePane({ name, text, found, sheet, onChange, onGo }: FilePaneProps) {
  const [isOver, setOver] = useState(false);
  const [isExporting, setExporting] = useState(false);
  const findings = useMemo(() => found.map(({ finding }) => finding), [found]);
  const drop = async (event: DragEvent): Promise<void> => {
    event.preventDefault();
    setOver(false);
    const [file] = event.dataTransfer.files;
    if (file) onChange(await file.text(), `import ${file.name}`);
  };
  return (
    <Pane
      $over={isOver}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => void drop(event)}
    >
      <FileEditor
        text={text}
        findings={findings}
        fields={sheet.fields}
        onChange={(next) => onChange(next, "edit the text")}
      />
      <Findings found={found} text={text} onRepair={onChange} onGo={onGo} />
      <Foot>
        <a href={`data:text/yaml;charset=utf-8,${encodeURIComponent(text)}`} download={`${name}.page.yaml`}>
          Download file
        </a>
        <Small type="button" onClick={() => setExporting(true)}>
          Export code…
        </Small>
        <span>Drop a file here to import it. Press Escape, then Tab, to leave the editor.</span>
      </Foot>
      {isExporting && <ExportCode name={name} text={text} onClose={() => setExporting(false)} />}
    </Pane>
  );
}
