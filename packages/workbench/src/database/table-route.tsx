import type { SheetField, TableAnswer } from "@loyal-quill/server/api";
import { useEffect } from "react";
import { Link, useParams } from "react-router";
import { styled } from "styled-components";
import { useSession, useTable } from "../api/queries.js";
import { bytes, figure } from "../parts/figures.js";
import { Mark } from "../parts/mark.js";
import { Empty, Failed, QuietButton, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title } from "../parts/title.js";
import { texts } from "../texts.js";
import { useNewDraft } from "./use-new-draft.js";

const says = texts.tableRoute;

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
    <Scroll aria-label={says.columns}>
      <Table>
        <Head columns={[says.column, says.type, says.nullable, says.defaultText, says.constraints, says.comment]} />
        <tbody>
          {fields.map((field) => (
            <tr key={field.name}>
              <th scope="row">
                <code>{field.name}</code>
                {field.key && <Soft>{says.key}</Soft>}
              </th>
              <td>
                <code>{field.type}</code>
              </td>
              <td>{field.nullable ? "yes" : <Soft>{says.no}</Soft>}</td>
              <td>
                {field.written === "always" ? (
                  <Soft>{says.generated}</Soft>
                ) : (
                  field.default && <code>{field.default}</code>
                )}
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
      <h2>{says.keys}</h2>
      <ul>
        {table.keys.map((key) => (
          <li key={key.join()}>
            <Mark kind="good">{says.safe}</Mark> <code>{key.join(", ")}</code>
          </li>
        ))}
        {table.unsafeKeys.map(({ constraint, because }) => (
          <li key={constraint}>
            <Mark kind="stop">{says.notSafe}</Mark> <code>{constraint}</code> <Soft>{because}</Soft>
          </li>
        ))}
        {table.keys.length === 0 && table.unsafeKeys.length === 0 && (
          <li>
            <Soft>{says.noPrimaryKeyOrUniqueConstraint}</Soft>
          </li>
        )}
      </ul>
    </Part>
  );
}

function References({ table }: { table: TableAnswer }) {
  return (
    <Part>
      <h2>{says.references}</h2>
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
            <Soft>
              {says.onDelete}
              {onDelete}
            </Soft>
          </li>
        ))}
        {table.references.length + table.dependents.length === 0 && (
          <li>
            <Soft>{says.noForeignKeysToOrFrom}</Soft>
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
      <h2>{says.sampleRows}</h2>
      {sample === null && (
        <Soft>{isServed || isSteward ? says.thisConnectionCanTReadThem : texts.databaseRoute.needsSteward}</Soft>
      )}
      {sample?.length === 0 && <Soft>{says.theTableIsEmpty}</Soft>}
      {sample && first && (
        <Scroll aria-label={says.sampleRows}>
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
                    <Cell key={name} title={value ?? says.null}>
                      {value ?? <Soft>{says.null}</Soft>}
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

function Found({ table }: { table: TableAnswer }) {
  const draft = useNewDraft();
  const rights = Object.entries(table.granted).flatMap(([right, has]) => (has ? [right] : []));
  return (
    <>
      <Lead>
        <span>
          {table.rows === null ? says.numberOfRowsUnknown : says.aboutRows(figure(table.rows))}
          {table.bytes !== null && `, ${bytes(table.bytes)}`}
          {says.thisConnectionMay}
          {["read", ...rights].join(", ")}
        </span>
        {table.pages.map((page) => (
          <Link key={page} to={`/pages/${encodeURIComponent(page)}`}>
            {says.page}
            {page}
          </Link>
        ))}
        {table.because === null ? (
          <QuietButton disabled={draft.isPending} onClick={() => draft.mutate({ table: table.table })}>
            {says.draftAPage}
          </QuietButton>
        ) : (
          <Mark kind="stop">
            {says.noPage}
            {table.because}
          </Mark>
        )}
        {draft.error && <Mark kind="stop">{draft.error.message}</Mark>}
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
  useEffect(() => {
    document.title = texts.documentTitle(table);
  }, [table]);
  return (
    <>
      <p>
        <Link to="/database">{says.database}</Link>
      </p>
      <Title>{table}</Title>
      {found.isPending && <Waiting height="60vh" what={says.loadingTables} />}
      {found.error && <Failed error={found.error} again={() => void found.refetch()} />}
      {found.data ? <Found table={found.data} /> : null}
      {found.data === null && <Empty title={says.noSuchTable}>{says.itMayHaveBeenRenamedOr}</Empty>}
    </>
  );
}
