import { mostOfPageFile } from "@loyal-quill/core";
import { useCallback, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";
import { QuietButton, Refused } from "../parts/states.js";
import { readTextFile } from "../parts/text-file.js";
import { ImportOver, useImportedDraft } from "./import-draft.js";

const Line = styled.p`
  display: flex;
  gap: ${({ theme }) => theme.space(4)};
  align-items: baseline;
  margin-bottom: ${({ theme }) => theme.space(3)};
  color: ${({ theme }) => theme.soft};
`;

/** Takes a page file in as a draft: chosen, or dropped anywhere on this place. */
export function TakeIn() {
  const draft = useImportedDraft();
  const [isOver, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const [wrong, setWrong] = useState<Error | null>(null);
  const { begin, reset } = draft;
  const takeIn = useCallback(
    (files: FileList | null | undefined): void => {
      setWrong(null);
      reset();
      // The file's name without its ending is the page's name.
      readTextFile(files ?? [], mostOfPageFile).then(
        ({ name, text }) => begin({ name: name.replace(/(\.page)?\.ya?ml$/, ""), text, from: name }),
        setWrong,
      );
    },
    [begin, reset],
  );
  useEffect(() => {
    const over = (event: DragEvent): void => {
      if (!event.dataTransfer?.types.includes("Files")) return;
      event.preventDefault();
      setOver(event.type !== "dragleave");
    };
    const drop = (event: DragEvent): void => {
      setOver(false);
      if (!event.dataTransfer?.types.includes("Files")) return;
      event.preventDefault();
      takeIn(event.dataTransfer?.files);
    };
    window.addEventListener("dragover", over);
    window.addEventListener("dragleave", over);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", over);
      window.removeEventListener("dragleave", over);
      window.removeEventListener("drop", drop);
    };
  }, [takeIn]);
  const error = wrong ?? draft.error;
  return (
    <>
      <Line>
        <input
          ref={input}
          type="file"
          accept=".yaml,.yml"
          hidden
          onChange={({ target }) => {
            if (target.files?.length) takeIn(target.files);
            // The same file, mended meanwhile, may be chosen again.
            target.value = "";
          }}
        />
        <QuietButton onClick={() => input.current?.click()}>Import page file…</QuietButton>
        <span>{isOver ? "Drop to import as a draft." : "or drop it here. To start from a table, go to Database."}</span>
        <Link to="/import-form">Import form…</Link>
        {error && <Refused error={error} />}
      </Line>
      {draft.over && <ImportOver over={draft.over} close={reset} />}
    </>
  );
}
