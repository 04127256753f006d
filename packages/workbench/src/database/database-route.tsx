import type { ConnectionAnswer, TableSummary } from "@loyal-quill/server/api";
import { Fragment, useState } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";
import { place, placeOf } from "../api/client.js";
import { useDatabase, useDatabases, useSession } from "../api/queries.js";
import { bytes, figure } from "../parts/figures.js";
import { Small, Text } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Empty, Failed, Refused, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { useNewDraft } from "./use-new-draft.js";

const Lead = styled.p`
  color: ${({ theme }) => theme.soft};
  margin-bottom: ${({ theme }) => theme.space(3)};
`;

const Tools = styled.div`
  display: flex;
  gap: ${({ theme }) => theme.space(4)};
  align-items: baseline;
  margin-bottom: ${({ theme }) => theme.space(2)};
  label { color: ${({ theme }) => theme.soft}; }
  input[type="search"] { width: 18rem; }
`;

/** Long names break, so that what can be done with the table stays in sight. */
const Tables = styled(Table)`
  tbody th, td:nth-child(6) { overflow-wrap: anywhere; min-width: 12rem; }
  tbody th code { overflow-wrap: anywhere; }
`;

const Soft = styled.span`
  color: ${({ theme }) => theme.soft};
`;

function Pages({ table }: { table: TableSummary }) {
  return (
    <>
      {table.pages.map((page, index) => (
        <span key={page}>
          {index > 0 && ", "}
          <Link to={`/pages/${encodeURIComponent(page)}`}>{page}</Link>
        </span>
      ))}
    </>
  );
}

/** Whether a table has a page, could have one, or can't, and why. */
function State({ table }: { table: TableSummary }) {
  if (table.because !== null)
    return (
      <>
        <Mark kind="stop">no page</Mark> <Soft>{table.because}</Soft>
      </>
    );
  return table.pages.length > 0 ? (
    <>
      <Mark kind="good">page</Mark> <Pages table={table} />
    </>
  ) : (
    <Mark kind="quiet">none</Mark>
  );
}

const lagOf = (behind: number | null): string =>
  behind === null || behind < 1000 ? `${figure(behind ?? 0)} ms` : `${figure(Math.round(behind / 1000))} s`;

/** How a standby stands. */
function Replica({ replica }: { replica: ConnectionAnswer["replicas"][number] }) {
  const { place: at, state, behind } = replica;
  const told = {
    following: `in use, ${lagOf(behind)} behind`,
    behind: `not in use: ${lagOf(behind)} behind`,
    away: "not in use: not reached",
    promoted: "not in use: promoted, it follows no other server",
  }[state];
  return (
    <li>
      Standby <code>{at}</code> <Mark kind={state === "following" ? "good" : "wait"}>{told}</Mark>
    </li>
  );
}

/** The server's processes, where there are several. */
function Processes({ answer }: { answer: ConnectionAnswer }) {
  const { processes, hears } = answer;
  if (processes.length < 2) return null;
  const versions = new Set(processes.map(({ version }) => version));
  return (
    <li>
      {processes.length} server processes use the store:{" "}
      {processes.map(({ id, pid, host, version, isThis }, index) => (
        <span key={id}>
          {index > 0 && ", "}
          <code>
            process {pid} on {host}
          </code>
          {versions.size > 1 && <> (version {version})</>}
          {isThis && <> (this one)</>}
        </span>
      ))}
      {hears === "by looking" && (
        <p>
          They hear of each other within a second, since the store is behind a connection pooler: --store-direct makes
          it at once.
        </p>
      )}
    </li>
  );
}

/** A connection, tested just now, and what it may do. */
function Connection({ answer }: { answer: ConnectionAnswer }) {
  const { name, database, user, version, rights, log } = answer;
  const isHere = placeOf(name) === place;
  const title = database || name || "the first database";
  return (
    <li>
      {isHere ? <b>{title}</b> : <a href={`${placeOf(name)}/database`}>{title}</a>}{" "}
      {answer.error === null ? (
        <>
          <Mark kind="good">reached</Mark> as <code>{user}</code>, PostgreSQL {version}; may read {rights.read} tables,
          insert into {rights.insert}, update {rights.update}, delete from {rights.delete};{" "}
          {log === "usable" ? "change log: writable" : <Mark kind="stop">the change log is {log}</Mark>}
          {answer.logNotice !== null && (
            <>
              . <Mark kind="wait">{answer.logNotice}</Mark>
            </>
          )}
          {answer.mount && (
            <>
              ; served below <code>{answer.mount}</code>
            </>
          )}
          {answer.superuser && (
            <>
              . <Mark kind="wait">Connected as a superuser: pages need far fewer rights.</Mark>
            </>
          )}
        </>
      ) : (
        <Mark kind="stop">not reached: {answer.error}</Mark>
      )}
    </li>
  );
}

/** Every database that the server knows, each with its connection tested. */
function Connections() {
  const databases = useDatabases();
  if (databases.error) return <Failed error={databases.error} again={() => void databases.refetch()} />;
  return (
    <Lead as="ul" aria-label="Databases">
      {databases.data?.map((each) => (
        <Fragment key={each.name}>
          <Connection answer={each} />
          {each.replicas.map((replica) => (
            <Replica key={replica.place} replica={replica} />
          ))}
        </Fragment>
      )) ?? <li>Testing connection…</li>}
      {databases.data?.[0] && <Processes answer={databases.data[0]} />}
    </Lead>
  );
}

/** Database: which tables have pages, which could, which can't and why. */
export default function DatabaseRoute() {
  const database = useDatabase();
  const [typed, type] = useState("");
  const draft = useNewDraft();
  const isSteward = useSession().data?.roles.includes("steward") === true;
  useDocumentTitle("Database");
  const found = database.data?.tables.filter((table) =>
    `${table.table} ${table.comment ?? ""}`.toLowerCase().includes(typed.toLowerCase()),
  );
  return (
    <>
      <Title>Database</Title>
      {database.isPending && <Waiting height="60vh" what="Loading tables" />}
      {database.error && <Failed error={database.error} again={() => void database.refetch()} />}
      {database.data && (
        <>
          <Connections />
          <Tools>
            <label htmlFor="find-table">Find a table</label>
            <Text id="find-table" type="search" value={typed} onChange={(event) => type(event.target.value)} />
            {draft.error && <Refused error={draft.error} />}
          </Tools>
          {found && found.length === 0 ? (
            <Empty title={typed ? `No tables match “${typed}”` : "No table"}>
              The connection sees only what it may read. Grant USAGE on the schema and SELECT on the table.
            </Empty>
          ) : (
            <Scroll aria-label="Tables">
              <Tables>
                <Head
                  columns={["Table", "Rows", "Size", "Columns", "Safe keys", "Page", "New page"]}
                  figures={["Rows", "Size", "Columns"]}
                />
                <tbody>
                  {found?.map((table) => (
                    <tr key={table.table}>
                      <th scope="row">
                        <Link to={`/database/${encodeURIComponent(table.table)}`}>
                          <code>{table.table}</code>
                        </Link>
                      </th>
                      <td className="figure">
                        {table.rows === null ? <Soft>unknown</Soft> : <code>{figure(table.rows)}</code>}
                      </td>
                      <td className="figure">
                        {table.bytes === null ? <Soft>–</Soft> : <code>{bytes(table.bytes)}</code>}
                      </td>
                      <td className="figure">
                        <code>{table.columns}</code>
                      </td>
                      <td>
                        {table.keys.length > 0 ? (
                          <code>{table.keys.map((key) => key.join(", ")).join(" · ")}</code>
                        ) : (
                          <Soft>none</Soft>
                        )}
                      </td>
                      <td>
                        <State table={table} />
                      </td>
                      <td>
                        {table.because === null && !table.isServed && !isSteward && (
                          <Soft>Needs the steward role: no page serves this table yet.</Soft>
                        )}
                        {table.because === null && (table.isServed || isSteward) && (
                          <Small
                            type="button"
                            $busy={draft.isPending}
                            onClick={() => draft.mutate({ table: table.table })}
                            aria-label={`Create draft for ${table.table}`}
                          >
                            Create draft
                          </Small>
                        )}
                      </td>
                    </tr>
                  ))}
                  {database.data.unusable
                    .filter(({ table }) => table.toLowerCase().includes(typed.toLowerCase()))
                    .map(({ table, because }) => (
                      <tr key={table}>
                        <th scope="row">
                          <code>{table}</code>
                        </th>
                        <td colSpan={4} />
                        <td colSpan={2}>
                          <Mark kind="stop">no page</Mark> <Soft>{because}</Soft>
                        </td>
                      </tr>
                    ))}
                </tbody>
              </Tables>
            </Scroll>
          )}
        </>
      )}
    </>
  );
}
