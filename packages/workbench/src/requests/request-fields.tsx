import type { RecordedRequest, RecordedStep, StepName } from "@loyal-quill/core";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { stepTitle } from "../round-trip/wording.js";

/** How a value's note tells what it was before. */
export const was = /^was /;

export const Pair = styled.div`
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: ${({ theme }) => theme.space(8)};
  @media (max-width: 60rem) { grid-template-columns: 1fr; }
`;

/** Names and values of two requests side by side, what differs marked. */
export function Values({
  rows,
  columns,
  label,
}: {
  rows: readonly {
    readonly name: string;
    readonly cells: readonly (string | null | undefined)[];
    readonly differs?: boolean;
  }[];
  columns: readonly string[];
  label: string;
}) {
  return (
    <Scroll aria-label={label}>
      <Table>
        <Head columns={columns} />
        <tbody>
          {rows.map(({ name, cells, differs }, place) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a step may be called twice
            <tr key={`${name} ${place}`} className={differs ? "differs" : undefined}>
              <th scope="row">
                {differs && "≠ "}
                <code>{name}</code>
              </th>
              {cells.map((cell, index) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a cell's column is its name
                <td key={index}>
                  {cell === null ? <i>{"null"}</i> : <code style={{ whiteSpace: "pre-wrap" }}>{cell}</code>}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroll>
  );
}

const stepOf = (request: RecordedRequest, name: StepName): RecordedStep | undefined =>
  request.steps.find(({ step }) => step === name);

export function FieldsRead({ request }: { request: RecordedRequest }) {
  const read = stepOf(request, "read");
  if (!read || read.values.length === 0) return null;
  const problems = new Map(
    (stepOf(request, "check")?.values ?? []).map(({ row, name, value }) => [named({ row, name }), value]),
  );
  return (
    <section aria-labelledby="read">
      <h2 id="read">Fields as read</h2>
      <Values
        label="Fields as read"
        columns={["Field", "As sent", "Tidied", "Read as", "Problem"]}
        rows={read.values.map((each) => ({
          name: named(each),
          cells: [
            each.sent ?? "(nothing)",
            each.note === "touched" ? each.value : (each.note ?? ""),
            each.became === undefined ? "" : each.became,
            each.problem ?? problems.get(named(each)) ?? "",
          ],
        }))}
      />
      {read.noticed?.map((sentence) => (
        <p key={sentence}>
          <Mark kind="wait">{sentence}</Mark>
        </p>
      ))}
    </section>
  );
}

/** A value's name; of several records, after its record's key. */
const named = ({ row, name }: { readonly row?: string | undefined; readonly name: string }): string =>
  row === undefined ? name : `${row}: ${name}`;

/** The developer's own steps, as they were called. */
export function OwnSteps({ request }: { request: RecordedRequest }) {
  const called = request.steps.flatMap(({ step, own = [] }) => own.map((each) => ({ step, ...each })));
  if (called.length === 0) return null;
  return (
    <section aria-labelledby="own">
      <h2 id="own">Your own steps</h2>
      <Values
        label="Your own steps"
        columns={["Called", "Step", "ms", "What it said"]}
        rows={called.map(({ name, step, ms, said }) => ({
          name,
          cells: [stepTitle[step], ms.toFixed(1), said ?? "–"],
        }))}
      />
    </section>
  );
}

/** The row before and after a save, as far as it changed. */
export function RowChange({ request }: { request: RecordedRequest }) {
  const write = stepOf(request, "write");
  const changed = (write?.values ?? []).filter(({ note }) => note === "changed" || was.test(note ?? ""));
  const load = stepOf(request, "load");
  if (changed.length > 0)
    return (
      <section aria-labelledby="row">
        <h2 id="row">Row before and after</h2>
        <Values
          label="Row before and after"
          columns={["Column", "Before", "After"]}
          rows={changed.map(({ name, value, note }) => ({
            name,
            cells: [note === "changed" ? "(not kept)" : (note ?? "").replace(was, ""), value],
          }))}
        />
      </section>
    );
  if (!load || load.values.length === 0) return null;
  return (
    <section aria-labelledby="row">
      <h2 id="row">Row as loaded</h2>
      <Values
        label="Row as loaded"
        columns={["Column", "Value"]}
        rows={load.values.map(({ name, value }) => ({ name, cells: [value] }))}
      />
    </section>
  );
}
