import type { RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import { useState } from "react";
import { styled } from "styled-components";
import { Small } from "../parts/inputs.js";

const Foot = styled.section`
  padding: ${({ theme }) => `0 0 ${theme.space(4)} ${theme.space(4)}`};
  h2 { font-size: 1.125rem; padding: ${({ theme }) => `${theme.space(3)} 0 ${theme.space(1)}`}; }
  h3 { font-size: 1rem; display: flex; gap: ${({ theme }) => theme.space(3)}; align-items: baseline; }
  > div { margin-top: ${({ theme }) => theme.space(3)}; }
  pre { white-space: pre-wrap; overflow-wrap: anywhere; padding: ${({ theme }) => theme.space(1)} 0; }
  p { color: ${({ theme }) => theme.soft}; }
`;

function Copy({ text, what }: { text: string; what: string }) {
  const [said, say] = useState<string>();
  return (
    <>
      <Small
        type="button"
        aria-label={`Copy the statement: ${what}`}
        onClick={() =>
          navigator.clipboard.writeText(text).then(
            () => say("copied"),
            () => say("The browser does not allow copying."),
          )
        }
      >
        copy
      </Small>
      <span role="status">{said}</span>
    </>
  );
}

/** Why each kind of statement can touch one row at most. */
function proofOf(purpose: string, sheet: SheetAnswer): string {
  const key = sheet.keyColumns.join(", ");
  const one = `${key} is a key of ${sheet.table}: unique and not null, so this ${purpose === "load" ? "finds" : "touches"} one row at most.`;
  if (purpose === "load") return one;
  return `${one} It is locked by key, access and version first; every value is a parameter; the entry of the log is part of the same statement, so there is neither a change without an entry nor an entry without a change.`;
}

/** The statements of the page on this record, as they were sent, each with its proof. */
export default function Statements({
  open,
  save,
  sheet,
}: {
  open: RecordedRequest | undefined;
  save: RecordedRequest | undefined;
  sheet: SheetAnswer;
}) {
  const sent = [open, save].flatMap((request) => request?.steps.flatMap((step) => step.statements) ?? []);
  const different = sent.filter((each, index) => sent.findIndex((other) => other.text === each.text) === index);
  return (
    <Foot aria-label="Statements">
      <h2>Statements</h2>
      {!save && <p>Press the page's own button to see its save as well: it runs as a trial and is rolled back.</p>}
      {different.map(({ purpose, text, values }) => (
        <div key={text}>
          <h3>
            {purpose} <Copy text={text} what={purpose} />
          </h3>
          {(purpose === "load" || purpose === "save") && <p>{proofOf(purpose, sheet)}</p>}
          <pre>{text}</pre>
          <p>
            {values.map((value, index) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a parameter's place is its name
              <span key={index}>
                {index > 0 && ", "}${index + 1} = <code>{value ?? "null"}</code>
              </span>
            ))}
          </p>
        </div>
      ))}
    </Foot>
  );
}
