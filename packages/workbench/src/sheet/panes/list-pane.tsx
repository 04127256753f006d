import type { RecordedRequest } from "@loyal-quill/core";
import { useEffect, useRef, useState } from "react";
import { styled } from "styled-components";
import { useListTrial } from "../../api/queries.js";
import { formatSql } from "../../code/format-sql.js";
import { Small } from "../../parts/inputs.js";
import { Failed, Waiting } from "../../parts/states.js";
import { useTexts } from "../editing/use-texts.js";
import { StatementValues } from "./statement-values.js";

const rowsText = (rows: string | number) => (rows === 1 ? "one row" : `${rows} rows`);

const Pane = styled.section`
  padding: ${({ theme }) => `0 0 ${theme.space(4)} ${theme.space(4)}`};
  iframe { display: block; width: 100%; height: 34rem; border: 1px solid ${({ theme }) => theme.rule}; background: ${({ theme }) => theme.leaf}; }
  h3 { font-size: 1rem; padding-top: ${({ theme }) => theme.space(3)}; }
  pre { white-space: pre-wrap; overflow-wrap: anywhere; padding: ${({ theme }) => theme.space(1)} 0; }
  p { color: ${({ theme }) => theme.soft}; }
`;

const Ways = styled.p`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => `0 ${theme.space(4)}`};
`;

/** What a form asks for by its address (HTML, 4.10.21.3). */
const queryOf = (form: HTMLFormElement): Record<string, string> =>
  Object.fromEntries(
    [...new FormData(form)].flatMap(([name, value]) =>
      typeof value === "string" && value !== "" ? [[name, value]] : [],
    ),
  );

interface ListPaneProps {
  readonly page: string;
  readonly text: string;
  readonly as: string | undefined;
  /** Told of the way that the list went. */
  readonly onTrip: (recorded: RecordedRequest) => void;
  /** Opens what can be set of the list. */
  readonly onEdit: () => void;
}

/** The page's list as it would be served, to be searched, filtered and sorted, with what it asked of the database. */
export default function ListPane({ page, text, as, onTrip, onEdit }: ListPaneProps) {
  const [query, setQuery] = useState<Readonly<Record<string, string>>>({});
  const answer = useListTrial(page, text, { as, query });
  const frame = useRef<HTMLIFrameElement>(null);
  const recorded = answer.data?.recorded;
  const [isTexts, setTexts] = useState(false);
  const [loadedHtml, setLoadedHtml] = useState<string>();
  const isHere = loadedHtml !== undefined && loadedHtml === answer.data?.html;
  useTexts(isHere ? frame : null, isTexts);
  useEffect(() => {
    if (recorded) onTrip(recorded);
  }, [recorded, onTrip]);
  if (answer.error) return <Failed error={answer.error} again={() => void answer.refetch()} />;
  if (answer.isPending) return <Waiting height="34rem" what="Loading the list" />;
  if (!answer.data) return <p>The list is shown as soon as the page has no errors.</p>;
  const { address } = answer.data;
  const html = answer.data.html.replace('<h1 tabindex="-1" autofocus>', '<h1 tabindex="-1">');
  const loaded = (): void => {
    setLoadedHtml(answer.data?.html);
    const shown = frame.current?.contentDocument;
    shown?.addEventListener("click", (event) => {
      const link = (event.target as Element).closest<HTMLAnchorElement>("a[href]");
      if (!link || link.getAttribute("href")?.startsWith("#")) return;
      event.preventDefault();
      const to = new URL(link.href, location.href);
      if (to.pathname === address) setQuery(Object.fromEntries(to.searchParams));
    });
    shown?.addEventListener("submit", (event) => {
      event.preventDefault();
      const form = event.target as HTMLFormElement;
      if (form.method === "get") setQuery(queryOf(form));
    });
  };
  return (
    <Pane aria-label="List">
      <Ways>
        <Small type="button" onClick={onEdit}>
          Edit columns, search, filters and order
        </Small>
        <Small
          type="button"
          aria-pressed={isTexts}
          title="Click a text on the page, or press Enter on it, to edit it there."
          onClick={() => setTexts(!isTexts)}
        >
          {isTexts ? "Stop editing texts" : "Edit texts"}
        </Small>
      </Ways>
      <iframe
        key={html}
        ref={frame}
        title="The list as it would be served"
        srcDoc={html}
        sandbox="allow-same-origin allow-forms"
        onLoad={loaded}
      />
      {answer.data.recorded.steps
        .flatMap((step) => step.statements)
        .map(({ purpose, text: statement, values, rows }) => (
          <div key={`${purpose} ${statement}`}>
            <h3>
              {purpose}, {rowsText(rows)}
            </h3>
            <pre>{formatSql(statement)}</pre>
            <StatementValues values={values} />
          </div>
        ))}
    </Pane>
  );
}
