import type { RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import { useMemo } from "react";
import { styled } from "styled-components";
import { formatSql } from "../../code/format-sql.js";
import { Copy } from "../../parts/copy.js";
import { requestFocus } from "../../parts/focus-request.js";
import { Small } from "../../parts/inputs.js";
import type { ChosenStep } from "../../round-trip/round-trip.js";
import { stepTitle } from "../../round-trip/wording.js";
import { stepHead } from "../editing/settings.js";
import { StatementValues } from "./statement-values.js";

const keyNote = (key: string, table: string, does: string) =>
  `${key} is a key of ${table}: unique and not null, so this ${does} one row at most.`;

const Foot = styled.section`
  padding: ${({ theme }) => `0 0 ${theme.space(4)} ${theme.space(4)}`};
  h2 { font-size: 1.125rem; padding: ${({ theme }) => `${theme.space(3)} 0 ${theme.space(1)}`}; }
  h3 { font-size: 1rem; display: flex; gap: ${({ theme }) => theme.space(3)}; align-items: baseline; }
  > div { margin-top: ${({ theme }) => theme.space(3)}; }
  pre { white-space: pre-wrap; overflow-wrap: anywhere; padding: ${({ theme }) => theme.space(1)} 0; }
  p { color: ${({ theme }) => theme.soft}; }
`;

/** Why each kind of statement can touch one row at most. */
function proofOf(purpose: string, sheet: SheetAnswer): string {
  const key = sheet.keyColumns.join(", ");
  const one = keyNote(key, sheet.table, purpose === "load" ? "finds" : "touches");
  if (purpose === "load") return one;
  return `${one} It is locked by key, access and version first; every value is a parameter; the entry of the log is part of the same statement, so there is neither a change without an entry nor an entry without a change.`;
}

/** The statements of the page on this record, as they were sent, each with its proof. */
export default function Statements({
  open,
  save,
  sheet,
  onPick,
}: {
  open: RecordedRequest | undefined;
  save: RecordedRequest | undefined;
  sheet: SheetAnswer;
  /** Opens the step that sent a statement, with its settings. */
  onPick: (step: ChosenStep) => void;
}) {
  const sent = useMemo(
    () =>
      ([save, open] as const).flatMap((request, index) =>
        (request?.steps ?? []).flatMap(({ step, statements }) =>
          statements.map((each) => ({
            ...each,
            at: { half: index === 0 ? ("save" as const) : ("open" as const), step },
          })),
        ),
      ),
    [save, open],
  );
  const different = useMemo(
    () =>
      sent
        .filter((each, index) => sent.findIndex((other) => other.text === each.text) === index)
        .map((each) => ({ ...each, formatted: formatSql(each.text) })),
    [sent],
  );
  return (
    <Foot aria-label="Statements">
      <h2>Statements</h2>
      {!save && <p>Press the page's own button to see its save as well: it runs as a trial and is rolled back.</p>}
      {different.map(({ purpose, text, values, formatted, at }) => (
        <div key={text}>
          <h3>
            {purpose} <Copy text={formatted} what={`the statement: ${purpose}`} />
            <Small
              type="button"
              onClick={() => {
                onPick(at);
                requestFocus(stepHead(at.step));
              }}
            >
              Edit step {stepTitle[at.step]}
            </Small>
          </h3>
          {(purpose === "load" || purpose === "save") && <p>{proofOf(purpose, sheet)}</p>}
          <pre>{formatted}</pre>
          <StatementValues values={values} />
        </div>
      ))}
    </Foot>
  );
}
