import { countBy, type PastRow, rowAfter, valuesOver } from "@loyal-quill/core";
import type { ChangeAnswer, RecordChangesAnswer } from "@loyal-quill/server/api";
import { Suspense, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { styled } from "styled-components";
import { useRecordChanges } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { English } from "../parts/english.js";
import { Small } from "../parts/inputs.js";
import { Moment, momentText, ZoneChoice } from "../parts/moment.js";
import { part } from "../parts/part.js";
import { Empty, Failed, QuietButton, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { useZone } from "../parts/zone.js";
import { ChangePlaces } from "./change-places.js";
import { ChangeWords } from "./changes-table.js";
import { difference } from "./difference.js";
import { MomentField } from "./moment-field.js";
import { PutBack, type PutBackAsked } from "./put-back.js";
import { keyText } from "./record-link.js";

const FieldChart = part(() => import("./field-chart.js"));

const Heading = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => theme.space(6)};
  h1 code { font-size: 1.25rem; }
  small { color: ${({ theme }) => theme.soft}; font-size: 1rem; font-weight: 400; }
`;

const Sides = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: ${({ theme }) => theme.space(8)};
  align-items: start;
  h2 { font-size: 1.125rem; }
  section + section { margin-top: ${({ theme }) => theme.space(6)}; }
  @media (max-width: 60rem) { grid-template-columns: 1fr; }
`;

const When = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => `${theme.space(2)} ${theme.space(5)}`};
  align-items: baseline;
  margin: ${({ theme }) => `${theme.space(2)} 0`};
  label { color: ${({ theme }) => theme.soft}; margin-right: ${({ theme }) => theme.space(2)}; }
  input { border: 1px solid ${({ theme }) => theme.edge}; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; min-height: 2rem; }
`;

const Value = styled.td`
  font-family: ${({ theme }) => theme.wire};
  font-size: 0.8125rem;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
  em { font-style: normal; border-bottom: 2px solid ${({ theme }) => theme.verdigris}; }
`;

const Soft = styled.span`
  color: ${({ theme }) => theme.soft};
`;

/** What a record is called that a value names. */
const Called = styled(Soft)`
  margin-inline-start: ${({ theme }) => theme.space(3)};
  font-family: ${({ theme }) => theme.speech};
  font-size: 1rem;
`;

const Steps = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  li { border-top: 1px solid ${({ theme }) => theme.rule}; padding: ${({ theme }) => `${theme.space(2)} 0`}; }
  p { margin: 0; display: flex; flex-wrap: wrap; gap: ${({ theme }) => theme.space(3)}; align-items: baseline; }
`;

/** What stands for no value, as elsewhere. */
const nothing = "null";

const told = (row: PastRow, name: string, isTold: boolean): string | null | undefined =>
  row === null ? null : isTold ? row[name] : undefined;

function Cell({
  value,
  other,
  label,
}: {
  value: string | null | undefined;
  other: string | null | undefined;
  label: string | undefined;
}) {
  const named = label === undefined ? null : <Called>{label}</Called>;
  if (value === undefined)
    return (
      <Value>
        <Soft>(not shown)</Soft>
      </Value>
    );
  if (value === null)
    return (
      <Value>
        <Soft>{nothing}</Soft>
      </Value>
    );
  if (typeof other !== "string" || other === value)
    return (
      <Value>
        {other === value ? value : <em>{value}</em>}
        {named}
      </Value>
    );
  const { head, middle, tail } = difference(other, value);
  return (
    <Value>
      {head}
      <em>{middle}</em>
      {tail}
      {named}
    </Value>
  );
}

/** The control tells moments to the minute: what happened within it counts. */
const endOfMinute = (moment: string): string => new Date(Date.parse(moment) + 59_999).toISOString();

/** A moment that is looked at: after one of the entries, by its place from the oldest; 0 is before the first. */
function MomentChoice({
  label,
  changes,
  at,
  onChange,
}: {
  label: string;
  changes: readonly ChangeAnswer[];
  at: number;
  onChange: (at: number) => void;
}) {
  const zone = useZone();
  const shown = at === 0 ? "" : (changes[changes.length - at]?.at ?? "");
  return (
    <When>
      <Choice
        label={label}
        value={String(at)}
        options={[
          ...changes.map((change, index) => ({
            id: String(changes.length - index),
            text: index === 0 ? "now" : `${momentText("dated", change.at, zone)}, after ${change.actorName}`,
          })),
          { id: "0", text: "before the first entry" },
        ]}
        onChange={(id) => onChange(Number(id))}
      />
      <MomentField
        label="as of"
        value={at === changes.length ? "" : shown}
        onChange={(value) => onChange(value === "" ? changes.length : countBy(changes, endOfMinute(value)))}
      />
    </When>
  );
}

function Beside({ record }: { record: RecordChangesAnswer }) {
  const { changes, columns, now } = record;
  const [search, setSearch] = useSearchParams();
  const place = (name: string, otherwise: number): number => {
    const given = search.get(name);
    return given !== null && /^\d{1,4}$/.test(given) ? Math.min(changes.length, Number(given)) : otherwise;
  };
  const [one, other] = [place("then", Math.max(0, changes.length - 1)), place("and", changes.length)];
  const go = (name: string, at: number): void =>
    setSearch(
      (before) => {
        const after = new URLSearchParams(before);
        after.set(name, String(at));
        return after;
      },
      { replace: true },
    );
  const [then, and] = [rowAfter(now, changes, one), rowAfter(now, changes, other)];
  const known =
    columns.length > 0
      ? columns
      : [...new Set(changes.flatMap(({ fields }) => fields.map(({ field }) => field)))].map((name) => ({
          name,
          label: name,
          isNumber: false,
          isTold: true,
          labels: {} as Readonly<Record<string, string>>,
        }));
  const [all, setAll] = useState(true);
  const rows = known.filter(({ name, isTold }) => all || told(then, name, isTold) !== told(and, name, isTold));
  return (
    <section>
      <h2>At two moments</h2>
      <MomentChoice label="First" changes={changes} at={one} onChange={(at) => go("then", at)} />
      <MomentChoice label="Second" changes={changes} at={other} onChange={(at) => go("and", at)} />
      <p>
        <Small type="button" onClick={() => setAll(!all)}>
          {all ? "Only what differs" : "All fields"}
        </Small>
      </p>
      {(then === null || and === null) && (
        <p role="status">
          {then === null && and === null
            ? "There is no such record at either moment."
            : then === null
              ? "At the first moment there was no such record."
              : "At the second moment there is no such record."}
        </p>
      )}
      <Scroll aria-label="At two moments">
        <Table>
          <Head columns={["Field", "First moment", "Second moment"]} />
          <tbody>
            {rows.map(({ name, label, isTold, labels }) => (
              <tr key={name}>
                <th scope="row" title={name}>
                  {label}
                </th>
                <Cell
                  value={told(then, name, isTold)}
                  other={told(and, name, isTold)}
                  label={labels[told(then, name, isTold) ?? ""]}
                />
                <Cell
                  value={told(and, name, isTold)}
                  other={told(then, name, isTold)}
                  label={labels[told(and, name, isTold) ?? ""]}
                />
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
    </section>
  );
}

/** A field's values over time: a line where they are numbers, and a list in any case. */
function OverTime({ record }: { record: RecordChangesAnswer }) {
  const { changes, columns } = record;
  const changed = columns.filter(({ name, isTold }) => isTold && valuesOver(changes, name).length > 1);
  const numeric = changed.find(({ isNumber }) => isNumber) ?? changed[0];
  const [name, setName] = useState<string | null>(null);
  const column = changed.find((each) => each.name === name) ?? numeric;
  if (!column) return null;
  const values = valuesOver(changes, column.name);
  return (
    <section>
      <h2>A field over time</h2>
      <When>
        <Choice
          label="Field"
          value={column.name}
          options={changed.map((each) => ({ id: each.name, text: each.label }))}
          onChange={setName}
        />
      </When>
      {column.isNumber && (
        <Suspense fallback={<Waiting height="10rem" what="Drawing" />}>
          <FieldChart label={column.label} values={values} />
        </Suspense>
      )}
      <Scroll aria-label="A field over time">
        <Table>
          <Head columns={["Since", "Value"]} />
          <tbody>
            {values.toReversed().map(({ at, value }) => (
              <tr key={at}>
                <td>
                  <Moment at={at} />
                </td>
                <Value>
                  {value === null ? <Soft>{nothing}</Soft> : value}
                  {value !== null && column.labels[value] && <Called>{column.labels[value]}</Called>}
                </Value>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
    </section>
  );
}

function Changed({
  changes,
  onPutBack,
}: {
  changes: readonly ChangeAnswer[];
  onPutBack: (asked: PutBackAsked) => void;
}) {
  return (
    <section>
      <h2>Changes</h2>
      {changes.every(({ canPutBack }) => !canPutBack) && (
        <p>
          <Soft>You can’t put these back: no page that you can open edits this record.</Soft>
        </p>
      )}
      <Steps>
        {changes.map((change) => (
          <li key={change.id}>
            <p>
              <Moment at={change.at} />
              <span>{change.actorName}</span>
              <Soft as="i">{change.reason}</Soft>
              <Soft>
                entry {change.id}
                {change.undoes.length > 0 && ` · ${`puts back ${change.undoes.join(", ")}`}`}
              </Soft>
            </p>
            <ChangeWords change={change} />
            {change.canPutBack && (
              <p>
                <Small
                  type="button"
                  aria-label={`Put back… entry ${change.id}`}
                  onClick={() => onPutBack({ entries: [change.id] })}
                >
                  Put back…
                </Small>
                {change.operation === "update" &&
                  change.fields.length > 1 &&
                  change.fields.map(({ field, hidden, erased }) =>
                    hidden || erased ? null : (
                      <Small
                        key={field}
                        type="button"
                        onClick={() => onPutBack({ entries: [change.id], fields: [field] })}
                      >
                        only {field}…
                      </Small>
                    ),
                  )}
              </p>
            )}
          </li>
        ))}
      </Steps>
    </section>
  );
}

/** One record: as it was at two moments, a field over time, and every change of it. */
export default function RecordRoute() {
  const [search] = useSearchParams();
  const [table, key, entry] = [search.get("table") ?? "", search.get("key") ?? "", search.get("entry") ?? ""];
  const record = useRecordChanges(table, key, entry);
  const [asked, setAsked] = useState<PutBackAsked | null>(null);
  const name = record.data ? keyText(record.data.key) : "";
  useDocumentTitle(name === "" ? "Changes" : name);
  return (
    <English>
      <Heading>
        <Title>
          <code>{name}</code> <small>{table}</small>
        </Title>
        <ChangePlaces />
        <ZoneChoice />
      </Heading>
      {record.isPending && <Waiting height="60vh" what="Loading the record's changes" />}
      {record.error && <Failed error={record.error} again={() => void record.refetch()} />}
      {record.data && record.data.changes.length === 0 && (
        <Empty title="The log has nothing of this record">
          <Link to="/changes">Search the change log</Link>
        </Empty>
      )}
      {record.data && record.data.changes.length > 0 && (
        <Sides>
          <div>
            <Beside record={record.data} />
            <OverTime record={record.data} />
          </div>
          <div>
            <Changed changes={record.data.changes} onPutBack={setAsked} />
            {record.data.more && <p>Only the last {record.data.changes.length} changes are shown.</p>}
          </div>
        </Sides>
      )}
      {record.data && record.data.now === null && record.data.changes.length > 0 && (
        <p>
          This record is gone.{" "}
          {record.data.changes[0]?.canPutBack && (
            <QuietButton onClick={() => setAsked({ entries: [record.data.changes[0]?.id ?? ""] })}>
              Put back its last change…
            </QuietButton>
          )}
        </p>
      )}
      {asked && <PutBack asked={asked} onClose={() => setAsked(null)} />}
    </English>
  );
}
