import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";
import { type Begun, useNewDraft } from "../database/use-new-draft.js";
import { QuietButton, Refused } from "../parts/states.js";

const Line = styled.p`
  display: flex;
  gap: ${({ theme }) => theme.space(4)};
  align-items: baseline;
  margin-bottom: ${({ theme }) => theme.space(3)};
  color: ${({ theme }) => theme.soft};
`;

/** The file's name without its ending is the page's name. */
function takeIn(file: File | undefined, mutate: (from: Begun) => void): void {
  if (file) void file.text().then((text) => mutate({ name: file.name.replace(/(\.page)?\.ya?ml$/, ""), text }));
}

/** Takes a page file in as a draft: chosen, or dropped anywhere on this place. */
export function TakeIn() {
  const draft = useNewDraft();
  const [isOver, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const { mutate } = draft;
  useEffect(() => {
    const over = (event: DragEvent): void => {
      if (!event.dataTransfer?.types.includes("Files")) return;
      event.preventDefault();
      setOver(event.type !== "dragleave");
    };
    const drop = (event: DragEvent): void => {
      event.preventDefault();
      setOver(false);
      takeIn(event.dataTransfer?.files[0], mutate);
    };
    window.addEventListener("dragover", over);
    window.addEventListener("dragleave", over);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", over);
      window.removeEventListener("dragleave", over);
      window.removeEventListener("drop", drop);
    };
  }, [mutate]);
  return (
    <Line>
      <input
        ref={input}
        type="file"
        accept=".yaml,.yml"
        hidden
        onChange={({ target }) => {
          takeIn(target.files?.[0], mutate);
          // The same file, mended meanwhile, may be chosen again.
          target.value = "";
        }}
      />
      <QuietButton onClick={() => input.current?.click()}>Import page file…</QuietButton>
      <span>{isOver ? "Drop to import as a draft." : "or drop it here. To start from a table, go to Database."}</span>
      <Link to="/import-form">Import form…</Link>
      {draft.error && <Refused error={draft.error} />}
    </Line>
  );
}
