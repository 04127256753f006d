import type { TrailAnswer } from "@loyal-quill/server/api";
import { useEffect } from "react";
import { styled } from "styled-components";
import { useTrail } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { English } from "../parts/english.js";
import { Small } from "../parts/inputs.js";
import { byDay, Moment, timeOf } from "../parts/moment.js";
import { Empty, Failed, QuietButton, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title } from "../parts/title.js";
import { useFilters } from "../parts/use-filters.js";
import { texts } from "../texts.js";

const says = texts.trailRoute;

type Entry = TrailAnswer["entries"][number];

const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(2)} ${theme.space(6)}`};
  margin-bottom: ${({ theme }) => theme.space(3)};
`;

const Day = styled.th.attrs({ colSpan: 4, scope: "colgroup" })`
  && { padding-top: ${({ theme }) => theme.space(5)}; font-weight: 700; }
`;

const Soft = styled.span`
  color: ${({ theme }) => theme.soft};
  overflow-wrap: anywhere;
`;

/** Kinds of actions, by how their names begin. */
const kinds = [
  { id: "", text: says.everything },
  { id: "sign-in.", text: says.signIns },
  { id: "account.", text: says.accounts },
  { id: "password.", text: says.passwords },
  { id: "factor.", text: says.factors },
  { id: "session.", text: says.sessions },
  { id: "token.", text: says.tokens },
  { id: "page.", text: says.pages },
  { id: "draft.", text: says.drafts },
  { id: "requests.", text: says.requests },
  { id: "changes.", text: says.changes },
  { id: "records.", text: says.records },
  { id: "census.", text: says.censuses },
];

const detailOf = ({ detail, database, times, last }: Entry): string =>
  [
    ...(times > 1 && last !== null ? [says.times(times, timeOf(last))] : []),
    ...Object.entries(detail).map(([name, value]) => `${name}: ${value}`),
    ...(database ? [`database: ${database}`] : []),
  ].join("; ");

function Row({ entry, onPerson }: { entry: Entry; onPerson: (id: string) => void }) {
  const { byId } = entry;
  const who = entry.by || says.somebodyNotSignedIn;
  return (
    <tr>
      <td>
        <Moment at={entry.at} only="time" />
      </td>
      <td>
        {byId === null ? (
          <Soft>{who}</Soft>
        ) : (
          <Small type="button" title={says.allOf(who)} onClick={() => onPerson(byId)}>
            {who}
          </Small>
        )}
      </td>
      <td>
        {entry.what}{" "}
        {entry.subject !== "" && (byId === null || entry.subjectId !== byId) && <code>{entry.subject}</code>}
        {detailOf(entry) !== "" && (
          <>
            <br />
            <Soft>{detailOf(entry)}</Soft>
          </>
        )}
      </td>
      <td>
        <code>{entry.address}</code>
      </td>
    </tr>
  );
}

/** The trail of administration: who did what to accounts, pages and drafts, and who signed in; newest first. */
export default function TrailRoute() {
  const [search, set] = useFilters();
  const [action, person] = [search.get("action") ?? "", search.get("person") ?? ""];
  const trail = useTrail({ ...(action ? { action } : {}), ...(person ? { person } : {}) });
  useEffect(() => {
    document.title = texts.documentTitle(says.trail);
  }, []);
  const entries = trail.data?.pages.flatMap((part) => part.entries) ?? [];
  const name = entries.find(({ byId }) => byId === person)?.by ?? person;
  return (
    <English>
      <Top>
        <Title>{says.trail}</Title>
        <Choice label={says.show} value={action} options={kinds} onChange={(value) => set("action", value)} />
        {person !== "" && (
          <span>
            {says.person}
            <strong>{name}</strong>{" "}
            <Small type="button" onClick={() => set("person", "")}>
              {says.everybody}
            </Small>
          </span>
        )}
      </Top>
      {trail.isPending && <Waiting height="60vh" what={says.loadingTheTrail} />}
      {trail.error && <Failed error={trail.error} again={() => void trail.refetch()} />}
      {trail.data && entries.length === 0 && <Empty title={says.nothingHere}>{says.nothingOfThisKind}</Empty>}
      {entries.length > 0 && (
        <Scroll aria-label={says.trail}>
          <Table>
            <Head columns={[says.when, says.who, says.what, says.from]} />
            {byDay(entries).map(({ day, entries: ofDay }) => (
              <tbody key={day}>
                <tr>
                  <Day>{day}</Day>
                </tr>
                {ofDay.map((entry) => (
                  <Row key={entry.id} entry={entry} onPerson={(id) => set("person", id)} />
                ))}
              </tbody>
            ))}
          </Table>
        </Scroll>
      )}
      {trail.hasNextPage && (
        <p style={{ marginTop: "1rem" }}>
          <QuietButton onClick={() => void trail.fetchNextPage()} disabled={trail.isFetchingNextPage}>
            {trail.isFetchingNextPage ? says.loading : says.loadEarlierEntries}
          </QuietButton>
        </p>
      )}
    </English>
  );
}
