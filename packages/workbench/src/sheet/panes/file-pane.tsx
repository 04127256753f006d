import { mostOfPageFile } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import { type DragEvent, useMemo, useState } from "react";
import { styled } from "styled-components";
import FileEditor from "../../code/file-editor.js";
import { Small } from "../../parts/inputs.js";
import { Refused } from "../../parts/states.js";
import { readTextFile } from "../../parts/text-file.js";
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

const hasFiles = (event: DragEvent): boolean => event.dataTransfer.types.includes("Files");

/** Page file, beside the page. A file can be dropped here, and taken out. */
export default function FilePane({ name, text, found, sheet, onChange, onGo }: FilePaneProps) {
  const [isOver, setOver] = useState(false);
  const [isExporting, setExporting] = useState(false);
  const findings = useMemo(() => found.map(({ finding }) => finding), [found]);
  const [wrong, setWrong] = useState<Error | null>(null);
  const drop = (event: DragEvent): void => {
    setOver(false);
    // A text that is dropped is the editor's, a file is not.
    if (!hasFiles(event)) return;
    event.preventDefault();
    event.stopPropagation();
    setWrong(null);
    readTextFile(event.dataTransfer.files, mostOfPageFile).then(
      (file) => onChange(file.text, `import ${file.name}`),
      setWrong,
    );
  };
  return (
    <Pane
      $over={isOver}
      onDragOver={(event) => {
        if (!hasFiles(event)) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDropCapture={drop}
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
        {wrong && <Refused error={wrong} />}
        <span>Drop a file here to import it. Press Escape, then Tab, to leave the editor.</span>
      </Foot>
      {isExporting && <ExportCode name={name} text={text} onClose={() => setExporting(false)} />}
    </Pane>
  );
}
