import type { TrailAnswer } from "@loyal-quill/server/api";
import { styled } from "styled-components";
import { useTrail } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { English } from "../parts/english.js";
import { Small } from "../parts/inputs.js";
import { byDay, Moment, momentText, ZoneChoice } from "../parts/moment.js";
import { Empty, Failed, QuietButton, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { useFilters } from "../parts/use-filters.js";
import { useZone } from "../parts/zone.js";

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
  { id: "", text: "everything" },
  { id: "sign-in.", text: "sign-ins" },
  { id: "account.", text: "accounts" },
  { id: "password.", text: "passwords" },
  { id: "factor.", text: "second factors" },
  { id: "session.", text: "sessions" },
  { id: "token.", text: "API tokens" },
  { id: "page.", text: "pages" },
  { id: "draft.", text: "drafts" },
  { id: "requests.", text: "recorded requests viewed" },
  { id: "changes.", text: "changes viewed and put back" },
  { id: "records.", text: "record searches" },
  { id: "census.", text: "censuses" },
];

const detailOf = ({ detail, database, times, last }: Entry, zone: string): string =>
  [
    ...(times > 1 && last !== null ? [`${times} times until ${momentText("time", last, zone)}`] : []),
    ...Object.entries(detail).map(([name, value]) => `${name}: ${value}`),
    ...(database ? [`database: ${database}`] : []),
  ].join("; ");

function Row({ entry, onPerson }: { entry: Entry; onPerson: (id: string) => void }) {
  const detail = detailOf(entry, useZone());
  const { byId } = entry;
  const who = entry.by || "somebody not signed in";
  return (
    <tr>
      <td>
        <Moment at={entry.at} only="time" />
      </td>
      <td>
        {byId === null ? (
          <Soft>{who}</Soft>
        ) : (
          <Small type="button" title={`Everything done by ${who} or to their account`} onClick={() => onPerson(byId)}>
            {who}
          </Small>
        )}
      </td>
      <td>
        {entry.what}{" "}
        {entry.subject !== "" && (byId === null || entry.subjectId !== byId) && <code>{entry.subject}</code>}
        {detail !== "" && (
          <>
            <br />
            <Soft>{detail}</Soft>
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
  const zone = useZone();
  const [action, person] = [search.get("action") ?? "", search.get("person") ?? ""];
  const trail = useTrail({ ...(action ? { action } : {}), ...(person ? { person } : {}) });
  useDocumentTitle("Trail");
  const entries = trail.data?.pages.flatMap((part) => part.entries) ?? [];
  const name = entries.find(({ byId }) => byId === person)?.by ?? person;
  return (
    <English>
      <Top>
        <Title>Trail</Title>
        <Choice label="Show" value={action} options={kinds} onChange={(value) => set("action", value)} />
        <ZoneChoice />
        {person !== "" && (
          <span>
            Person: <strong>{name}</strong>{" "}
            <Small type="button" onClick={() => set("person", "")}>
              Everybody
            </Small>
          </span>
        )}
      </Top>
      {trail.isPending && <Waiting height="60vh" what="Loading the trail" />}
      {trail.error && <Failed error={trail.error} again={() => void trail.refetch()} />}
      {trail.data && entries.length === 0 && <Empty title="Nothing here">Nothing of this kind has happened yet.</Empty>}
      {entries.length > 0 && (
        <Scroll aria-label="Trail">
          <Table>
            <Head columns={[`When (${zone})`, "Who", "What", "From"]} />
            {byDay(entries, zone).map(({ day, entries: ofDay }) => (
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
          <QuietButton onClick={() => void trail.fetchNextPage()} $busy={trail.isFetchingNextPage}>
            {trail.isFetchingNextPage ? "Loading…" : "Load earlier entries"}
          </QuietButton>
        </p>
      )}
    </English>
  );
}
