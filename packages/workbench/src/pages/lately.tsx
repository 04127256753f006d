import type { RecordedRequest } from "@loyal-quill/core";
import { Link } from "react-router";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { Foot } from "../parts/selecting.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { useHeld } from "../parts/use-held.js";
import { useZone } from "../parts/zone.js";
import { TripGlyph } from "../round-trip/trip-glyph.js";
import { outcomeMark, outcomeWord, stoppedAt } from "../round-trip/wording.js";

const Name = styled.td`
  white-space: nowrap;
`;

const Reason = styled.span`
  color: ${({ theme }) => theme.soft};
`;

/** The latest requests, newest first: they appear by themselves. */
export function Lately({ requests }: { requests: readonly RecordedRequest[] }) {
  const zone = useZone();
  const held = useHeld(requests);
  return (
    <>
      <Scroll aria-label="Latest requests" {...held.within}>
        <Table>
          <Head columns={[`When (${zone})`, "Who", "Request", "Steps", "Outcome", "Time"]} />
          <tbody>
            {held.shown.map((request) => (
              <tr key={request.id}>
                <td>
                  <Moment at={request.at} />
                </td>
                <Name>{request.actor?.name ?? "Not signed in"}</Name>
                <td>
                  {request.page && request.operation !== "list" ? (
                    <Link to={`/pages/${encodeURIComponent(request.page)}?request=${request.id}`}>
                      <code>
                        {request.method} {request.path}
                      </code>
                    </Link>
                  ) : (
                    <code>
                      {request.method} {request.path}
                    </code>
                  )}
                </td>
                <td>
                  <TripGlyph request={request} />
                </td>
                <td>
                  <Mark kind={outcomeMark(request.outcome)}>{outcomeWord(request.outcome)}</Mark>{" "}
                  <Reason>{stoppedAt(request)?.stopped}</Reason>
                </td>
                <td>
                  <code>{request.ms.toFixed(1)} ms</code>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
      <Foot list="requests" held={held} />
    </>
  );
}
