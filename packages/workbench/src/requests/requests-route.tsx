import type { ToldRequest } from "@loyal-quill/server/api";
import { Suspense } from "react";
import { Input, Label, SearchField } from "react-aria-components";
import { Link, useNavigate } from "react-router";
import { styled } from "styled-components";
import { type RequestFilter, useAccounts, usePages, useRequestSums, useToldRequests } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { English } from "../parts/english.js";
import { figure } from "../parts/figures.js";
import { Heard } from "../parts/heard.js";
import { Small } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { byDay, Moment, ZoneChoice } from "../parts/moment.js";
import { part } from "../parts/part.js";
import { Foot, Tick } from "../parts/selecting.js";
import { Empty, Failed, QuietButton, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { type Chosen, useChosen } from "../parts/use-chosen.js";
import { useFilters } from "../parts/use-filters.js";
import { useHeld } from "../parts/use-held.js";
import { useZone } from "../parts/zone.js";
import { TripGlyph } from "../round-trip/trip-glyph.js";
import { outcomeMark, outcomeWord, stepTitle } from "../round-trip/wording.js";

const RequestSumsPane = part(() => import("./request-sums.js"));

const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(2)} ${theme.space(5)}`};
  margin-bottom: ${({ theme }) => theme.space(3)};
  label { color: ${({ theme }) => theme.soft}; margin-right: ${({ theme }) => theme.space(2)}; }
  input[type="search"] { border: 1px solid ${({ theme }) => theme.edge}; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; width: 11rem; min-height: 2rem; }
`;

const Rare = styled.details`
  summary { cursor: pointer; color: ${({ theme }) => theme.verdigris}; }
  &[open] { display: flex; flex-wrap: wrap; align-items: baseline; gap: ${({ theme }) => theme.space(4)}; }
  > span + span { margin-inline-start: ${({ theme }) => theme.space(4)}; }
`;

/** As high whatever it shows, where it stands above the list: nothing below it moves. */
const Sums = styled.div`
  @media (min-width: 60rem) {
    height: 9.25rem;
    overflow-y: auto;
    border-bottom: 1px solid ${({ theme }) => theme.edge};
  }
`;

const summing = <Waiting height="0" what="Summing up" />;

const Day = styled.th.attrs({ colSpan: 8, scope: "colgroup" })`
  && { padding-top: ${({ theme }) => theme.space(4)}; font-weight: 700; }
`;

const Reason = styled.span`
  color: ${({ theme }) => theme.soft};
  overflow-wrap: anywhere;
`;

const Address = styled.code`
  && { display: inline-block; max-width: 17rem; overflow: hidden; text-overflow: ellipsis; vertical-align: bottom; text-decoration: underline; }
`;

const names = ["page", "person", "outcome", "step", "record", "field", "slower", "text", "days"] as const;

const filterOf = (search: URLSearchParams): RequestFilter =>
  Object.fromEntries(names.flatMap((name) => (search.get(name) ? [[name, search.get(name) ?? ""]] : [])));

const outcomeIds = ["shown", "saved", "unchanged", "invalid", "conflict", "refused", "not-found", "failed"] as const;
const stepIds = ["route", "key", "access", "load", "read", "check", "compare", "write"] as const;

function RequestRow({
  request,
  isChosen,
  onChoose,
}: {
  request: ToldRequest;
  isChosen: boolean;
  onChoose: (isChosen: boolean) => void;
}) {
  const { id, at, actor, method, path, outcome, reason, statements, ms } = request;
  return (
    <tr>
      <td>
        <Tick
          checked={isChosen}
          aria-label={`Select ${method} ${path}`}
          onChange={(event) => onChoose(event.target.checked)}
        />
      </td>
      <td>
        <Moment at={at} />
      </td>
      <td style={{ whiteSpace: "nowrap" }}>{actor?.name ?? "not signed in"}</td>
      <td>
        <Link to={`/requests/${id}`}>
          <Address title={path}>
            {method} {path}
          </Address>
        </Link>
      </td>
      <td>
        <TripGlyph request={request} />
      </td>
      <td>
        <Mark kind={outcomeMark(outcome)}>{outcomeWord(outcome)}</Mark> <Reason>{reason}</Reason>
      </td>
      <td className="figure">{statements}</td>
      <td className="figure">
        <code>{ms.toFixed(1)}</code>
      </td>
    </tr>
  );
}

interface Filtering {
  readonly filter: RequestFilter;
  readonly set: (name: (typeof names)[number], value: string) => void;
}

/** By what the requests are looked for. */
function RequestFilters({ filter, set }: Filtering) {
  const pages = usePages();
  const accounts = useAccounts();
  const select = (
    label: string,
    name: (typeof names)[number],
    first: string,
    options: { id: string; text: string }[],
  ) => (
    <Choice
      label={label}
      value={filter[name] ?? ""}
      options={[{ id: "", text: first }, ...options]}
      onChange={(value) => set(name, value)}
    />
  );
  return (
    <Top>
      <Title>Requests</Title>
      <SearchField value={filter.text ?? ""} onChange={(value) => set("text", value)}>
        <Label>Contains</Label>
        <Input placeholder="address, reason, number" />
      </SearchField>
      {select(
        "Page",
        "page",
        "all pages",
        (pages.data ?? []).map(({ name }) => ({ id: name, text: name })),
      )}
      {select("Person", "person", "everybody", [
        ...(accounts.data ?? []).map(({ id, name }) => ({ id, text: name })),
        { id: "nobody", text: "not signed in" },
      ])}
      {select("Outcome", "outcome", "any", [
        { id: "refusals", text: "All rejected" },
        ...outcomeIds.map((id) => ({ id, text: outcomeWord(id) })),
      ])}
      {select("Last", "days", "90 days", [
        { id: "1", text: "day" },
        { id: "7", text: "7 days" },
        { id: "30", text: "30 days" },
      ])}
      <Rare open={filter.step !== undefined || filter.slower !== undefined}>
        <summary>More filters</summary>
        {select(
          "Stopped at",
          "step",
          "any step",
          stepIds.map((id) => ({ id, text: stepTitle[id] })),
        )}
        {select(
          "Took at least",
          "slower",
          "any time",
          ["10", "50", "200", "1000"].map((id) => ({ id, text: `${id} ms` })),
        )}
        <ZoneChoice />
      </Rare>
      {filter.record !== undefined && (
        <span>
          Record <code>{filter.record}</code> <Small onClick={() => set("record", "")}>all records</Small>
        </span>
      )}
      {filter.field !== undefined && (
        <span>
          Problem at <code>{filter.field}</code> <Small onClick={() => set("field", "")}>all fields</Small>
        </span>
      )}
    </Top>
  );
}

interface Listed {
  readonly requests: readonly ToldRequest[];
  readonly chosen: Chosen;
}

/** The requests, day by day. */
function RequestsTable({ requests, chosen: { ids, choose } }: Listed) {
  const zone = useZone();
  return (
    <Table>
      <Head
        columns={["Select", `When (${zone})`, "Who", "Request", "Steps", "Outcome", "Statements", "ms"]}
        figures={["Statements", "ms"]}
      />
      {byDay(requests, zone).map(({ day, entries }) => (
        <tbody key={day}>
          <tr>
            <Day>{day}</Day>
          </tr>
          {entries.map((request) => (
            <RequestRow
              key={request.id}
              request={request}
              isChosen={ids.has(request.id)}
              onChoose={(isChosen) => choose(request.id, isChosen)}
            />
          ))}
        </tbody>
      ))}
    </Table>
  );
}

/** Requests: every open and save, as it went; they appear by themselves. */
export default function RequestsRoute() {
  const [search, set] = useFilters();
  const filter = filterOf(search);
  const navigate = useNavigate();
  const requests = useToldRequests(filter);
  const sums = useRequestSums(filter);
  const chosen = useChosen();
  useDocumentTitle("Requests");
  const all: readonly ToldRequest[] = requests.data?.pages.flatMap((part) => part.requests) ?? [];
  const held = useHeld(all);
  const ids = [...chosen.ids];
  const ofPages = new Set(all.filter(({ id }) => chosen.ids.has(id)).map(({ page }) => page));
  const [page] = ofPages;
  const playAgain = (): void => {
    if (page) void navigate(`/pages/${encodeURIComponent(page)}/replay`, { state: { ids } });
  };
  return (
    <English>
      <RequestFilters filter={filter} set={set} />
      {(sums.isPending || (sums.data && sums.data.count > 0)) && (
        <Sums>
          <Suspense fallback={summing}>
            {sums.data ? <RequestSumsPane sums={sums.data} onField={(field) => set("field", field)} /> : summing}
          </Suspense>
        </Sums>
      )}
      <Heard>
        {requests.data &&
          (requests.hasNextPage
            ? `The first ${figure(all.length)} requests`
            : `${figure(all.length)} ${all.length === 1 ? "request" : "requests"}`)}
      </Heard>
      {requests.isPending && <Waiting height="50vh" what="Loading requests" />}
      {requests.error && <Failed error={requests.error} again={() => void requests.refetch()} />}
      {requests.data && all.length === 0 && (
        <Empty title="No requests">
          {Object.keys(filter).length > 0
            ? "None matches these filters."
            : "Open a served page, and the request appears here."}
        </Empty>
      )}
      {all.length > 0 && (
        <Scroll aria-label="Requests" {...held.within}>
          <RequestsTable requests={held.shown} chosen={chosen} />
        </Scroll>
      )}
      <Foot list="requests" held={held} chosen={chosen}>
        {ids.length === 2 && <Link to={`/requests/${ids[0]}?with=${ids[1]}`}>Compare side by side</Link>}
        <Small type="button" disabled={ofPages.size !== 1 || !page} onClick={playAgain}>
          Replay on the draft
        </Small>
      </Foot>
      {requests.hasNextPage && (
        <p style={{ marginTop: "1rem" }}>
          <QuietButton onClick={() => void requests.fetchNextPage()} $busy={requests.isFetchingNextPage}>
            {requests.isFetchingNextPage ? "Loading …" : "Load earlier requests"}
          </QuietButton>
        </p>
      )}
    </English>
  );
}
