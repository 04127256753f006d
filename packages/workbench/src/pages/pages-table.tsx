import type { OutcomeKind } from "@loyal-quill/core";
import type { PageSummary } from "@loyal-quill/server/api";
import { Suspense } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";
import { keyText } from "../changes/record-link.js";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { part } from "../parts/part.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { TripGlyph } from "../round-trip/trip-glyph.js";
import { outcomeWord } from "../round-trip/wording.js";

const servedWithout = {
  new: "Served, but makes no new records",
  edit: "Served, but changes no records",
  delete: "Served, but deletes no records",
};

const Soft = styled.span`
  color: ${({ theme }) => theme.soft};
`;

const DaysChart = part(() => import("./days-chart.js"));

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

/** One line, however long a key is; in full where one points. */
const Clipped = styled.div`
  max-width: 14rem;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
`;

const OneLine = styled.div`
  color: ${({ theme }) => theme.soft};
  white-space: nowrap;
`;

function Soundness({ page }: { page: PageSummary }) {
  const { draft } = page;
  if (!page.published) return <Mark kind="wait">Draft, not published yet</Mark>;
  return (
    <Stack>
      <Served page={page} />
      {page.drift.length > 0 && (
        <span>
          <Mark kind="wait">Table has changed</Mark> <Soft>{page.drift[0]}</Soft>
        </span>
      )}
      {draft && <Mark kind="wait">Draft by {draft.by}</Mark>}
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
          {!page.served
            ? "Not served"
            : page.earlier || !stopped
              ? "File has an error, last sound version served"
              : servedWithout[stopped]}
        </Mark>
        {firstFinding && (
          <Soft>
            line {firstFinding.line}: {firstFinding.message}
          </Soft>
        )}
      </Stack>
    );
  }
  if (page.warnings > 0)
    return <Mark kind="wait">Served, {page.warnings === 1 ? "1 warning" : `${page.warnings} warnings`}</Mark>;
  return <Mark kind="good">Served</Mark>;
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
  if (counted.length === 0) return <Soft>none</Soft>;
  return (
    <Stack>
      <Soft>{words}</Soft>
      <Suspense fallback={<Room />}>
        <DaysChart days={days} label={`Last 7 days: ${words}`} />
      </Suspense>
    </Stack>
  );
}

/** One row a page. */
export function PagesTable({ pages }: { pages: readonly PageSummary[] }) {
  return (
    <Scroll aria-label="Pages">
      <Table>
        <Head columns={["Page", "Address", "Table", "State", "Requests, last 7 days", "Last request", "Last change"]} />
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
              <td>{page.lastRequest ? <TripGlyph request={page.lastRequest} /> : <Soft>none</Soft>}</td>
              <td>
                {page.lastChange ? (
                  <Stack>
                    <Clipped title={keyText(page.lastChange.key)}>
                      <code>{keyText(page.lastChange.key)}</code>
                    </Clipped>
                    <OneLine>
                      <Moment at={page.lastChange.at} /> by {page.lastChange.by}
                    </OneLine>
                  </Stack>
                ) : (
                  <Soft>none</Soft>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroll>
  );
}
