import type { OutcomeKind } from "@loyal-quill/core";
import type { PageSummary } from "@loyal-quill/server/api";
import { lazy, Suspense } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { TripGlyph } from "../round-trip/trip-glyph.js";
import { outcomeWord } from "../round-trip/wording.js";
import { texts } from "../texts.js";

const says = texts.pagesTable;

const Soft = styled.span`
  color: ${({ theme }) => theme.soft};
`;

const DaysChart = lazy(() => import("./days-chart.js"));

/** The place that a chart will take. */
const Room = styled.div`
  height: 2.25rem;
`;

const Stack = styled.div`
  display: grid;
  gap: 1px;
  && > span {
    white-space: normal;
  }
`;

function Soundness({ page }: { page: PageSummary }) {
  const { draft } = page;
  if (!page.published) return <Mark kind="wait">{says.draftNotPublishedYet}</Mark>;
  return (
    <Stack>
      <Served page={page} />
      {page.drift.length > 0 && (
        <span>
          <Mark kind="wait">{says.tableHasChanged}</Mark> <Soft>{page.drift[0]}</Soft>
        </span>
      )}
      {draft && (
        <Mark kind="wait">
          {says.draftBy}
          {draft.by}
        </Mark>
      )}
    </Stack>
  );
}

function Served({ page }: { page: PageSummary }) {
  const { firstFinding } = page;
  const [stopped] = page.stopped;
  if (!page.served || page.earlier || stopped) {
    return (
      <Stack>
        <Mark kind={page.served && !page.earlier ? "wait" : "stop"}>
          {!page.served ? says.notServed : page.earlier || !stopped ? says.servedAsBefore : says.servedWithout[stopped]}
        </Mark>
        {firstFinding && (
          <Soft>
            {says.line}
            {firstFinding.line}: {firstFinding.message}
          </Soft>
        )}
      </Stack>
    );
  }
  if (page.warnings > 0)
    return (
      <Mark kind="wait">
        {says.served}
        {page.warnings === 1 ? says.oneWarning : says.warnings(page.warnings)}
      </Mark>
    );
  return <Mark kind="good">{says.servedNoProblems}</Mark>;
}

const order: readonly OutcomeKind[] = [
  "shown",
  "saved",
  "unchanged",
  "invalid",
  "conflict",
  "refused",
  "not-found",
  "failed",
];

/** The last days as a small chart, and in words. */
function Outcomes({ days }: { days: PageSummary["days"] }) {
  const counted = order.flatMap((kind) => {
    const count = days.reduce((sum, { outcomes }) => sum + (outcomes[kind] ?? 0), 0);
    return count ? [`${count} ${outcomeWord(kind)}`] : [];
  });
  const words = counted.join(", ");
  if (counted.length === 0) return <Soft>{says.none}</Soft>;
  return (
    <Stack>
      <Soft>{words}</Soft>
      <Suspense fallback={<Room />}>
        <DaysChart days={days} label={says.last7Days(words)} />
      </Suspense>
    </Stack>
  );
}

/** One row a page. */
export function PagesTable({ pages }: { pages: readonly PageSummary[] }) {
  return (
    <Scroll aria-label={says.pages}>
      <Table>
        <Head
          columns={[
            says.page,
            says.address,
            says.table,
            says.state,
            says.requestsLast7Days,
            says.lastRequest,
            says.lastChange,
          ]}
        />
        <tbody>
          {pages.map((page) => (
            <tr key={page.name}>
              <th scope="row">
                <Link to={`/pages/${encodeURIComponent(page.name)}`}>{page.plural}</Link>
              </th>
              <td>
                {page.listAddress ? (
                  <a href={page.listAddress}>
                    <code>{page.path}</code>
                  </a>
                ) : (
                  <Soft>–</Soft>
                )}
              </td>
              <td>{page.table ? <code>{page.table}</code> : <Soft>–</Soft>}</td>
              <td>
                <Soundness page={page} />
              </td>
              <td>
                <Outcomes days={page.days} />
              </td>
              <td>{page.lastRequest ? <TripGlyph request={page.lastRequest} /> : <Soft>{says.none}</Soft>}</td>
              <td>
                {page.lastChange ? (
                  <Stack>
                    <span>
                      <code>{Object.values(page.lastChange.key).join(" / ")}</code>
                      {says.by}
                      {page.lastChange.by}
                    </span>
                    <Soft>
                      <Moment at={page.lastChange.at} />
                    </Soft>
                  </Stack>
                ) : (
                  <Soft>{says.none}</Soft>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroll>
  );
}
