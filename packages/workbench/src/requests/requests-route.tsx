import type { ToldRequest } from "@loyal-quill/server/api";
import { lazy, Suspense, useEffect, useState } from "react";
import { Input, Label, SearchField } from "react-aria-components";
import { Link, useNavigate } from "react-router";
import { styled } from "styled-components";
import { type RequestFilter, useAccounts, usePages, useRequestSums, useToldRequests } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { English } from "../parts/english.js";
import { figure } from "../parts/figures.js";
import { Small } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { byDay, Moment } from "../parts/moment.js";
import { Selected, Tick } from "../parts/selecting.js";
import { Empty, Failed, QuietButton, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title } from "../parts/title.js";
import { useFilters } from "../parts/use-filters.js";
import { TripGlyph } from "../round-trip/trip-glyph.js";
import { outcomeMark, outcomeWord, stepTitle } from "../round-trip/wording.js";
import { texts } from "../texts.js";

const says = texts.requestsRoute;

const RequestSumsPane = lazy(() => import("./request-sums.js"));

const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(2)} ${theme.space(5)}`};
  margin-bottom: ${({ theme }) => theme.space(3)};
  label { color: ${({ theme }) => theme.soft}; margin-right: ${({ theme }) => theme.space(2)}; }
  input[type="search"] { border: 1px solid ${({ theme }) => theme.edge}; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; width: 14rem; min-height: 2rem; }
`;

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
          aria-label={says.choose(method, path)}
          onChange={(event) => onChoose(event.target.checked)}
        />
      </td>
      <td>
        <Moment at={at} />
      </td>
      <td style={{ whiteSpace: "nowrap" }}>{actor?.name ?? says.nobody}</td>
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

/** Requests: every open and save, as it went; they appear by themselves. */
export default function RequestsRoute() {
  const [search, set] = useFilters();
  const filter = filterOf(search);
  const navigate = useNavigate();
  const requests = useToldRequests(filter);
  const sums = useRequestSums(filter);
  const pages = usePages();
  const accounts = useAccounts();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  useEffect(() => {
    document.title = texts.documentTitle(says.requests);
  }, []);
  const all: readonly ToldRequest[] = requests.data?.pages.flatMap((part) => part.requests) ?? [];
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
  const playAgain = (): void => {
    const [page] = all.filter(({ id }) => chosen.has(id)).flatMap((each) => each.page ?? []);
    if (page) void navigate(`/pages/${encodeURIComponent(page)}/replay`, { state: { ids: [...chosen] } });
  };
  const ofPages = new Set(all.filter(({ id }) => chosen.has(id)).map(({ page }) => page));
  const two = [...chosen];
  return (
    <English>
      <Top>
        <Title>{says.requests}</Title>
        <SearchField value={filter.text ?? ""} onChange={(value) => set("text", value)}>
          <Label>{says.contains}</Label>
          <Input placeholder={says.addressReasonOrNumber} />
        </SearchField>
        {select(
          says.page,
          "page",
          says.allPages,
          (pages.data ?? []).map(({ name }) => ({ id: name, text: name })),
        )}
        {select(says.person, "person", says.everybody, [
          ...(accounts.data ?? []).map(({ id, name }) => ({ id, text: name })),
          { id: "nobody", text: says.nobody },
        ])}
        {select(says.outcome, "outcome", says.anyOutcome, [
          { id: "refusals", text: says.allRefusals },
          ...outcomeIds.map((id) => ({ id, text: outcomeWord(id) })),
        ])}
        {select(
          says.stoppedAt,
          "step",
          says.anyStep,
          stepIds.map((id) => ({ id, text: stepTitle[id] })),
        )}
        {select(
          says.slowerThan,
          "slower",
          says.anyTime,
          ["10", "50", "200", "1000"].map((id) => ({ id, text: says.ms(id) })),
        )}
        {select(says.since, "days", says.anyDay, [
          { id: "1", text: says.aDay },
          { id: "7", text: says.aWeek },
          { id: "30", text: says.thirtyDays },
        ])}
        {filter.record !== undefined && (
          <span>
            {says.record} <code>{filter.record}</code>{" "}
            <Small onClick={() => set("record", "")}>{says.allRecords}</Small>
          </span>
        )}
        {filter.field !== undefined && (
          <span>
            {says.field} <code>{filter.field}</code> <Small onClick={() => set("field", "")}>{says.allFields}</Small>
          </span>
        )}
      </Top>
      {sums.data && sums.data.count > 0 && (
        <Suspense fallback={<Waiting height="10rem" what={says.summing} />}>
          <RequestSumsPane sums={sums.data} onField={(field) => set("field", field)} />
        </Suspense>
      )}
      {chosen.size > 0 && (
        <Selected role="status">
          <span>{says.chosen(figure(chosen.size))}</span>
          {two.length === 2 && <Link to={`/requests/${two[0]}?with=${two[1]}`}>{says.compareThem}</Link>}
          <Small type="button" disabled={ofPages.size !== 1} onClick={playAgain}>
            {says.playAgainOnTheDraft}
          </Small>
          <Small type="button" onClick={() => setChosen(new Set())}>
            {says.chooseNone}
          </Small>
        </Selected>
      )}
      {requests.isPending && <Waiting height="50vh" what={says.loadingRequests} />}
      {requests.error && <Failed error={requests.error} again={() => void requests.refetch()} />}
      {requests.data && all.length === 0 && (
        <Empty title={says.noRequests}>
          {Object.keys(filter).length > 0 ? says.noneMatchTheseFilters : says.openAPageAndItAppears}
        </Empty>
      )}
      {all.length > 0 && (
        <Scroll aria-label={says.requests}>
          <Table>
            <Head
              columns={[
                says.select,
                says.when,
                says.who,
                says.request,
                says.steps,
                says.outcome,
                says.statements,
                says.time,
              ]}
              figures={[says.statements, says.time]}
            />
            {byDay(all).map(({ day, entries }) => (
              <tbody key={day}>
                <tr>
                  <Day>{day}</Day>
                </tr>
                {entries.map((request) => (
                  <RequestRow
                    key={request.id}
                    request={request}
                    isChosen={chosen.has(request.id)}
                    onChoose={(isChosen) =>
                      setChosen((before) => {
                        const after = new Set(before);
                        if (isChosen) after.add(request.id);
                        else after.delete(request.id);
                        return after;
                      })
                    }
                  />
                ))}
              </tbody>
            ))}
          </Table>
        </Scroll>
      )}
      {requests.hasNextPage && (
        <p style={{ marginTop: "1rem" }}>
          <QuietButton onClick={() => void requests.fetchNextPage()} disabled={requests.isFetchingNextPage}>
            {requests.isFetchingNextPage ? says.loading : says.loadEarlierRequests}
          </QuietButton>
        </p>
      )}
    </English>
  );
}
