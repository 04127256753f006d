import type { SheetField, TableAnswer } from "@loyal-quill/server/api";
import { useEffect, useState } from "react";
import { Link, useLocation, useNavigate, useParams } from "react-router";
import { styled } from "styled-components";
import { useSession, useTable } from "../api/queries.js";
import { bytes, figure } from "../parts/figures.js";
import { Mark } from "../parts/mark.js";
import { Empty, Failed, QuietButton, Refused, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { type Passed, useNewDraft } from "./use-new-draft.js";

const Lead = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(5)}`};
  align-items: baseline;
  color: ${({ theme }) => theme.soft};
  margin-bottom: ${({ theme }) => theme.space(3)};
  button { color: ${({ theme }) => theme.verdigris}; border-color: ${({ theme }) => theme.verdigris}; font-weight: 700; }
`;

const Part = styled.section`
  margin-top: ${({ theme }) => theme.space(6)};
  h2 { font-size: 1.125rem; margin-bottom: ${({ theme }) => theme.space(1)}; }
  li { padding: 1px 0; }
  td code { white-space: pre-wrap; overflow-wrap: anywhere; }
`;

const Two = styled.div`
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 0 ${({ theme }) => theme.space(8)};
`;

const Cell = styled.td`
  max-width: 16rem;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font: 0.8125rem/1.4 ${({ theme }) => theme.wire};
`;

const Soft = styled.span`
  font-weight: 400;
  color: ${({ theme }) => theme.soft};
`;

function Columns({ fields }: { fields: readonly SheetField[] }) {
  return (
    <Scroll aria-label="Columns">
      <Table>
        <Head columns={["Column", "Type", "Nullable", "Default", "Constraints", "Comment"]} />
        <tbody>
          {fields.map((field) => (
            <tr key={field.name}>
              <th scope="row">
                <code>{field.name}</code>
                {field.key && <Soft> key</Soft>}
              </th>
              <td>
                <code>{field.type}</code>
              </td>
              <td>{field.nullable ? "yes" : <Soft>no</Soft>}</td>
              <td>
                {field.written === "always" ? <Soft>generated</Soft> : field.default && <code>{field.default}</code>}
              </td>
              <td>
                {field.references.map(({ table, columns }) => (
                  <div key={`${table} ${columns}`}>
                    <code>
                      → {table} ({columns.join(", ")})
                    </code>
                  </div>
                ))}
                {field.constraints.map((each) => (
                  <div key={each}>
                    <code>{each}</code>
                  </div>
                ))}
              </td>
              <td>
                <Soft>{field.comment}</Soft>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroll>
  );
}

function Keys({ table }: { table: TableAnswer }) {
  return (
    <Part>
      <h2>Keys</h2>
      <ul>
        {table.keys.map((key) => (
          <li key={key.join()}>
            <Mark kind="good">safe</Mark> <code>{key.join(", ")}</code>
          </li>
        ))}
        {table.unsafeKeys.map(({ constraint, because }) => (
          <li key={constraint}>
            <Mark kind="stop">not safe</Mark> <code>{constraint}</code> <Soft>{because}</Soft>
          </li>
        ))}
        {table.keys.length === 0 && table.unsafeKeys.length === 0 && (
          <li>
            <Soft>No primary key or unique constraint, so no page can address a single row.</Soft>
          </li>
        )}
      </ul>
    </Part>
  );
}

function References({ table }: { table: TableAnswer }) {
  return (
    <Part>
      <h2>References</h2>
      <ul>
        {table.references.map(({ columns, to }) => (
          <li key={`${columns} ${to}`}>
            <code>
              {columns.join(", ")} → {to}
            </code>
          </li>
        ))}
        {table.dependents.map(({ table: other, columns, onDelete }) => (
          <li key={`${other} ${columns}`}>
            <code>
              ← {other} ({columns.join(", ")})
            </code>{" "}
            <Soft>on delete {onDelete}</Soft>
          </li>
        ))}
        {table.references.length + table.dependents.length === 0 && (
          <li>
            <Soft>No foreign keys to or from this table.</Soft>
          </li>
        )}
      </ul>
    </Part>
  );
}

function Sample({ table: { sample, isServed } }: { table: TableAnswer }) {
  const isSteward = useSession().data?.roles.includes("steward") === true;
  const [first] = sample ?? [];
  return (
    <Part>
      <h2>Sample rows</h2>
      {sample === null && (
        <Soft>
          {isServed || isSteward
            ? "The rows could not be read."
            : "Needs the steward role: no page serves this table yet."}
        </Soft>
      )}
      {sample?.length === 0 && <Soft>The table is empty.</Soft>}
      {sample && first && (
        <Scroll aria-label="Sample rows">
          <Table>
            <thead>
              <tr>
                {Object.keys(first).map((name) => (
                  <th scope="col" key={name}>
                    {name}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {sample.map((row) => (
                <tr key={JSON.stringify(row)}>
                  {Object.entries(row).map(([name, value]) => (
                    <Cell key={name} title={value ?? "null"}>
                      {value ?? <Soft>null</Soft>}
                    </Cell>
                  ))}
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
    </Part>
  );
}

/** Why no draft could be begun, as who led here tells it: once, and not again when the place is reloaded or come back to. */
function usePassed(): string | null {
  const [passed, setPassed] = useState<string | null>(null);
  const { state, pathname } = useLocation();
  const refused = (state as Passed | null)?.refused;
  const navigate = useNavigate();
  useEffect(() => {
    if (refused === undefined) return;
    setPassed(refused);
    void navigate(pathname, { replace: true, state: null });
  }, [refused, pathname, navigate]);
  return passed;
}

function Found({ table }: { table: TableAnswer }) {
  const draft = useNewDraft();
  const passed = usePassed();
  const refused = draft.error ?? (passed === null ? null : new Error(passed));
  const rights = Object.entries(table.granted).flatMap(([right, has]) => (has ? [right] : []));
  return (
    <>
      <Lead>
        <span>
          {table.rows === null ? "number of rows unknown" : `about ${figure(table.rows)} rows`}
          {table.bytes !== null && <>, {bytes(table.bytes)}</>}; this connection may {["read", ...rights].join(", ")}
        </span>
        {table.pages.map((page) => (
          <Link key={page} to={`/pages/${encodeURIComponent(page)}`}>
            page {page}
          </Link>
        ))}
        {table.because === null ? (
          <QuietButton $busy={draft.isPending} onClick={() => draft.mutate({ table: table.table })}>
            Create draft
          </QuietButton>
        ) : (
          <Mark kind="stop">no page: {table.because}</Mark>
        )}
        {refused && !draft.isPending && <Refused error={refused} />}
      </Lead>
      {table.comment && <p>{table.comment}</p>}
      <Columns fields={table.fields} />
      <Two>
        <Keys table={table} />
        <References table={table} />
      </Two>
      <Sample table={table} />
    </>
  );
}

/** One table: columns, keys, constraints, references, sample rows; and the draft of a page over it. */
export default function TableRoute() {
  const { table = "" } = useParams();
  const found = useTable(table);
  useDocumentTitle(table);
  return (
    <>
      <p>
        <Link to="/database">Database</Link>
      </p>
      <Title>{table}</Title>
      {found.isPending && <Waiting height="60vh" what="Loading tables" />}
      {found.error && <Failed error={found.error} again={() => void found.refetch()} />}
      {found.data ? <Found key={found.data.table} table={found.data} /> : null}
      {found.data === null && <Empty title="No such table">It may have been renamed or dropped.</Empty>}
    </>
  );
}
