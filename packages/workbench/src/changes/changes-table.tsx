import type { ChangeAnswer } from "@loyal-quill/server/api";
import { Link } from "react-router";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";
import { byDay, Moment } from "../parts/moment.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { texts } from "../texts.js";
import { ValueChange } from "./value-change.js";

const says = texts.changesTable;

const Day = styled.th.attrs({ colSpan: 5, scope: "colgroup" })`
  && { padding-top: ${({ theme }) => theme.space(5)}; font-weight: 700; }
`;

const Reason = styled.span`
  font-style: italic;
  color: ${({ theme }) => theme.soft};
`;

const Fields = styled.td`
  width: 50%;
`;

const Name = styled.td`
  white-space: nowrap;
`;

const recordOf = (change: ChangeAnswer): string => Object.values(change.key).join(" / ");

/** The log, a day under a heading, an entry a row. */
export function ChangesTable({
  changes,
  onContaining,
}: {
  changes: readonly ChangeAnswer[];
  onContaining: (text: string) => void;
}) {
  return (
    <Scroll aria-label={says.changes}>
      <Table>
        <Head columns={[says.when, says.who, says.record, says.whatChanged, says.reason]} />
        {byDay(changes).map(({ day, entries: ofDay }) => (
          <tbody key={day}>
            <tr>
              <Day>{day}</Day>
            </tr>
            {ofDay.map((change) => (
              <ChangeRow key={change.id} change={change} onContaining={onContaining} />
            ))}
          </tbody>
        ))}
      </Table>
    </Scroll>
  );
}

function ChangeRow({ change, onContaining }: { change: ChangeAnswer; onContaining: (text: string) => void }) {
  const key = Object.values(change.key);
  return (
    <tr id={`change-${change.id}`}>
      <td>
        <Moment at={change.at} only="time" />
      </td>
      <Name>{change.actorName}</Name>
      <td>
        <Link
          to={`?containing=${encodeURIComponent(key.at(0) ?? "")}`}
          title={says.allChangesOf(recordOf(change))}
          onClick={(event) => {
            event.preventDefault();
            onContaining(key.at(0) ?? "");
          }}
        >
          <code>{recordOf(change)}</code>
        </Link>{" "}
        <Reason as="span">{change.page}</Reason>
      </td>
      <Fields>
        {change.operation === "insert" && <Mark kind="good">{says.newRecord}</Mark>}
        {change.operation === "delete" && <Mark kind="stop">{says.deleted}</Mark>}
        {change.fields.map((field) => (
          <ValueChange
            key={field.field}
            field={field.field}
            before={field.old}
            after={field.new}
            hidden={field.hidden === true}
          />
        ))}
      </Fields>
      <td>
        <Reason>{change.reason}</Reason>
      </td>
    </tr>
  );
}
