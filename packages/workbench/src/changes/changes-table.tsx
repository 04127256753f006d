import type { ChangeAnswer } from "@loyal-quill/server/api";
import { Link } from "react-router";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";
import { byDay, Moment } from "../parts/moment.js";
import { Tick } from "../parts/selecting.js";
import { Head, Table } from "../parts/table.js";
import { useZone } from "../parts/zone.js";
import { actText } from "./log-act.js";
import { keyText, recordPlace } from "./record-link.js";
import { ValueChange } from "./value-change.js";

const Day = styled.th.attrs({ scope: "colgroup" })`
  && { padding-top: ${({ theme }) => theme.space(5)}; font-weight: 700; }
`;

const Soft = styled.span`
  color: ${({ theme }) => theme.soft};
`;

const Fields = styled.td`
  width: 48%;
`;

const Name = styled.td`
  white-space: nowrap;
`;

/** The log, a day under a heading, an entry a row. */
export function ChangesTable({
  changes,
  chosen,
  onChoose,
}: {
  changes: readonly ChangeAnswer[];
  chosen: ReadonlySet<string>;
  onChoose: (id: string, isChosen: boolean) => void;
}) {
  const zone = useZone();
  // What can't be put back need not be selected.
  const saved = new Map<string, number>();
  for (const { requestId } of changes) if (requestId) saved.set(requestId, (saved.get(requestId) ?? 0) + 1);
  const canChoose = changes.some(({ canPutBack }) => canPutBack);
  const columns = [
    ...(canChoose ? ["Select"] : []),
    `When (${zone})`,
    "Who",
    "Record",
    "What changed",
    "Reason, and how",
  ];
  return (
    <Table>
      <Head columns={columns} />
      {byDay(changes, zone).map(({ day, entries: ofDay }) => (
        <tbody key={day}>
          <tr>
            <Day colSpan={columns.length}>{day}</Day>
          </tr>
          {ofDay.map((change) => (
            <ChangeRow
              key={change.id}
              change={change}
              canChoose={canChoose}
              isOfSeveral={(saved.get(change.requestId ?? "") ?? 0) > 1}
              isChosen={chosen.has(change.id)}
              onChoose={(isChosen) => onChoose(change.id, isChosen)}
            />
          ))}
        </tbody>
      ))}
    </Table>
  );
}

/** By what a change came that came by no page. */
function Origin({ change }: { change: ChangeAnswer }) {
  const { way, origin } = change;
  if (way === "page" || way === "log") return null;
  if (way === "import") return <Mark kind="quiet">imported</Mark>;
  return (
    <Mark kind="wait">
      not by a page
      {origin?.application ? ` · ${origin.application}` : ""}
      {origin?.truncate ? " · TRUNCATE" : ""}
    </Mark>
  );
}

function ChangeRow({
  change,
  canChoose,
  isOfSeveral,
  isChosen,
  onChoose,
}: {
  change: ChangeAnswer;
  canChoose: boolean;
  /** Whether others were saved with it at once. */
  isOfSeveral: boolean;
  isChosen: boolean;
  onChoose: (isChosen: boolean) => void;
}) {
  const record = keyText(change.key);
  const act = actText(change);
  return (
    <tr id={`change-${change.id}`}>
      {canChoose && (
        <td>
          {act === null && change.canPutBack && (
            <Tick
              checked={isChosen}
              aria-label={`Select entry ${change.id}, ${record}`}
              onChange={(event) => onChoose(event.target.checked)}
            />
          )}
        </td>
      )}
      <td>
        <Moment at={change.at} only="time" />
      </td>
      <Name>{change.actorName}</Name>
      <td>
        {act === null ? (
          <>
            <Link to={recordPlace(change.table, change.key, change.id)} title={`All changes of ${record}`}>
              <code>{record}</code>
            </Link>{" "}
            <Soft>{change.page || change.table}</Soft>
          </>
        ) : (
          <Soft>the log itself</Soft>
        )}
      </td>
      <Fields>{act ?? <ChangeWords change={change} />}</Fields>
      <td>
        <Soft as="i">{change.reason}</Soft> <Origin change={change} />
        {isOfSeveral && (
          <Link to={`?request=${change.requestId}`} title="All that was saved at once">
            saved with others
          </Link>
        )}{" "}
        {change.undoes.length > 0 && <Soft>puts back {change.undoes.join(", ")}</Soft>}
      </td>
    </tr>
  );
}

/** What an entry changed. */
export function ChangeWords({ change }: { change: ChangeAnswer }) {
  return (
    <>
      {change.operation === "insert" && <Mark kind="good">new record</Mark>}
      {change.operation === "delete" && <Mark kind="stop">deleted</Mark>}
      {change.fields.map((field) => (
        <ValueChange
          key={field.field}
          field={field.field}
          before={field.old}
          after={field.new}
          untold={field.hidden ? "hidden" : field.erased ? "erased" : null}
        />
      ))}
    </>
  );
}
