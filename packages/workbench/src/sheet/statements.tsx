import type { RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import { useMemo, useState } from "react";
import { styled } from "styled-components";
import { formatSql } from "../code/format-sql.js";
import { Small } from "../parts/inputs.js";
import { texts } from "../texts.js";
import { StatementValues } from "./statement-values.js";

const says = texts.statements;

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
        aria-label={says.copyTheStatement(what)}
        onClick={() =>
          navigator.clipboard.writeText(text).then(
            () => say(says.copied),
            () => say(says.theBrowserDoesNotAllowCopying),
          )
        }
      >
        {says.copy}
      </Small>
      <span role="status">{said}</span>
    </>
  );
}

/** Why each kind of statement can touch one row at most. */
function proofOf(purpose: string, sheet: SheetAnswer): string {
  const key = sheet.keyColumns.join(", ");
  const one = says.isAKeyOfUniqueAnd(key, sheet.table, purpose === "load" ? "finds" : "touches");
  if (purpose === "load") return one;
  return says.itIsLockedByKeyAccess(one);
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
  const sent = useMemo(
    () => [save, open].flatMap((request) => request?.steps.flatMap((step) => step.statements) ?? []),
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
    <Foot aria-label={says.statements}>
      <h2>{says.statements}</h2>
      {!save && <p>{says.pressThePageSOwnButton}</p>}
      {different.map(({ purpose, text, values, formatted }) => (
        <div key={text}>
          <h3>
            {purpose} <Copy text={formatted} what={purpose} />
          </h3>
          {(purpose === "load" || purpose === "save") && <p>{proofOf(purpose, sheet)}</p>}
          <pre>{formatted}</pre>
          <StatementValues values={values} />
        </div>
      ))}
    </Foot>
  );
}
