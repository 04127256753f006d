import type { ConnectionAnswer, TableSummary } from "@loyal-quill/server/api";
import { Fragment, useEffect, useState } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";
import { place, placeOf } from "../api/client.js";
import { useDatabase, useDatabases, useSession } from "../api/queries.js";
import { bytes, figure } from "../parts/figures.js";
import { Small, Text } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Empty, Failed, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title } from "../parts/title.js";
import { texts } from "../texts.js";
import { useNewDraft } from "./use-new-draft.js";

const says = texts.databaseRoute;

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
        <Mark kind="stop">{says.noPage}</Mark> <Soft>{table.because}</Soft>
      </>
    );
  return table.pages.length > 0 ? (
    <>
      <Mark kind="good">{says.page}</Mark> <Pages table={table} />
    </>
  ) : (
    <Mark kind="quiet">{says.none}</Mark>
  );
}

const lagOf = (behind: number | null): string =>
  behind === null || behind < 1000
    ? says.milliseconds(figure(behind ?? 0))
    : says.seconds(figure(Math.round(behind / 1000)));

/** How a standby stands. */
function Replica({ replica }: { replica: ConnectionAnswer["replicas"][number] }) {
  const { place: at, state, behind } = replica;
  const told = {
    following: says.replicaFollowing(lagOf(behind)),
    behind: says.replicaBehind(lagOf(behind)),
    away: says.replicaAway,
    promoted: says.replicaPromoted,
  }[state];
  return (
    <li>
      {says.standby}
      <code>{at}</code> <Mark kind={state === "following" ? "good" : "wait"}>{told}</Mark>
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
      {says.processes(processes.length)}
      {processes.map(({ id, pid, host, version, isThis }, index) => (
        <span key={id}>
          {index > 0 && ", "}
          <code>{says.processOn(pid, host)}</code>
          {versions.size > 1 && says.ofVersion(version)}
          {isThis && says.thisOne}
        </span>
      ))}
      {hears === "by looking" && says.heardByLooking}
    </li>
  );
}

/** A connection, tested just now, and what it may do. */
function Connection({ answer }: { answer: ConnectionAnswer }) {
  const { name, database, user, version, rights, log } = answer;
  const isHere = placeOf(name) === place;
  const title = database || name || says.theFirstDatabase;
  return (
    <li>
      {isHere ? <b>{title}</b> : <a href={`${placeOf(name)}/database`}>{title}</a>}{" "}
      {answer.error === null ? (
        <>
          <Mark kind="good">{says.reached}</Mark>
          {says.as}
          <code>{user}</code>
          {says.postgresql}
          {version}
          {says.mayRead}
          {rights.read}
          {says.tablesInsertInto}
          {rights.insert}
          {says.update}
          {rights.update}
          {says.deleteFrom}
          {rights.delete};{" "}
          {log === "usable" ? (
            says.changeLogWritable
          ) : (
            <Mark kind="stop">
              {says.theChangeLogIs}
              {log}
            </Mark>
          )}
          {answer.logNotice !== null && (
            <>
              . <Mark kind="wait">{answer.logNotice}</Mark>
            </>
          )}
          {answer.mount && (
            <>
              {says.servedBelow}
              <code>{answer.mount}</code>
            </>
          )}
          {answer.superuser && (
            <>
              . <Mark kind="wait">{says.connectedAsASuperuserPagesNeed}</Mark>
            </>
          )}
        </>
      ) : (
        <Mark kind="stop">
          {says.notReached}
          {answer.error}
        </Mark>
      )}
    </li>
  );
}

/** Every database that the server knows, each with its connection tested. */
function Connections() {
  const databases = useDatabases();
  if (databases.error) return <Failed error={databases.error} again={() => void databases.refetch()} />;
  return (
    <Lead as="ul" aria-label={says.databases}>
      {databases.data?.map((each) => (
        <Fragment key={each.name}>
          <Connection answer={each} />
          {each.replicas.map((replica) => (
            <Replica key={replica.place} replica={replica} />
          ))}
        </Fragment>
      )) ?? <li>{says.testingConnection}</li>}
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
  useEffect(() => {
    document.title = texts.documentTitle(says.database);
  }, []);
  const found = database.data?.tables.filter((table) =>
    `${table.table} ${table.comment ?? ""}`.toLowerCase().includes(typed.toLowerCase()),
  );
  return (
    <>
      <Title>{says.database}</Title>
      {database.isPending && <Waiting height="60vh" what={says.loadingTables} />}
      {database.error && <Failed error={database.error} again={() => void database.refetch()} />}
      {database.data && (
        <>
          <Connections />
          <Tools>
            <label htmlFor="find-table">{says.findATable}</label>
            <Text id="find-table" type="search" value={typed} onChange={(event) => type(event.target.value)} />
            {draft.error && <Mark kind="stop">{draft.error.message}</Mark>}
          </Tools>
          {found && found.length === 0 ? (
            <Empty title={typed ? says.noTablesMatch(typed) : says.noTable}>{says.theConnectionSeesOnlyWhatIt}</Empty>
          ) : (
            <Scroll aria-label={says.tables}>
              <Tables>
                <Head
                  columns={[says.table, says.rows, says.size, says.columns, says.safeKeys, says.page2, says.newPage]}
                  figures={[says.rows, says.size, says.columns]}
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
                        {table.rows === null ? <Soft>{says.unknown}</Soft> : <code>{figure(table.rows)}</code>}
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
                          <Soft>{says.none}</Soft>
                        )}
                      </td>
                      <td>
                        <State table={table} />
                      </td>
                      <td>
                        {table.because === null && !table.isServed && !isSteward && <Soft>{says.needsSteward}</Soft>}
                        {table.because === null && (table.isServed || isSteward) && (
                          <Small
                            type="button"
                            disabled={draft.isPending}
                            onClick={() => draft.mutate({ table: table.table })}
                            aria-label={says.createADraftPageFor(table.table)}
                          >
                            {says.createDraft}
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
                          <Mark kind="stop">{says.noPage}</Mark> <Soft>{because}</Soft>
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
