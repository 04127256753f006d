import { isSaving } from "@loyal-quill/core";
import type { Evidence, Played } from "@loyal-quill/server/api";
import { Link } from "react-router";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";
import { Scroll, Table } from "../parts/table.js";
import { TripGlyph } from "../round-trip/trip-glyph.js";
import { stepTitle } from "../round-trip/wording.js";
import { resultOf } from "./wording.js";

const Block = styled.article`
  > h2 { font-size: 1.125rem; }
  dl { display: grid; grid-template-columns: 6.5rem minmax(0, 1fr); gap: ${({ theme }) => `${theme.space(1)} ${theme.space(3)}`}; }
  dl { margin-bottom: ${({ theme }) => theme.space(3)}; }
  dt { color: ${({ theme }) => theme.soft}; }
  dd, li { overflow-wrap: anywhere; }
  ol { list-style: none; margin: 0; padding: 0; }
  ol > li { border-top: 1px solid ${({ theme }) => theme.rule}; padding: ${({ theme }) => `${theme.space(2)} 0`}; }
  pre { white-space: pre-wrap; overflow-wrap: anywhere; }
  details > div { max-height: 14rem; overflow: auto; }
  summary { cursor: pointer; color: ${({ theme }) => theme.verdigris}; min-height: 24px; }
`;

const rowOf = ({ before, after }: Evidence): readonly (readonly [string, string | null, string | null])[] =>
  Object.keys({ ...before, ...after }).flatMap((name) =>
    before?.[name] === after?.[name] ? [] : [[name, before?.[name] ?? null, after?.[name] ?? null] as const],
  );

const touchedOf = ({ touched }: Evidence): string =>
  touched === null
    ? "not counted"
    : touched.length === 0
      ? "none"
      : touched
          .map(
            ({ table, inserted, updated, deleted }) =>
              `${table}: ${inserted} inserted, ${updated} updated, ${deleted} deleted`,
          )
          .join("; ");

/** One request of a case, with what it did. */
function One({ page, one, step }: { page: string; one: Evidence; step: Played["step"] }) {
  const { recorded, method, path, status, body, actor, answer, entries, headers } = one;
  const changed = rowOf(one);
  const saves = recorded !== null && isSaving(recorded.operation);
  const key = recorded?.key;
  const sheet = new URLSearchParams([
    ...(key ?? []).map((part) => ["key", part]),
    ...(actor ? [["as", actor.id]] : []),
    ["step", step],
  ]);
  return (
    <li>
      <p>
        <code>
          {method} {path.slice(0, 200)}
        </code>
      </p>
      <p>
        {recorded && <TripGlyph request={recorded} />} <b>{status}</b> {recorded?.outcome ?? "no page at this address"}
        {headers.location && (
          <>
            {" → "}
            <code>{headers.location}</code>
          </>
        )}
        {", "}
        {actor?.name ?? "nobody"}
        {key && recorded && (recorded.operation === "open" || recorded.operation === "save") && (
          <>
            {" "}
            <Link
              to={`/pages/${encodeURIComponent(page)}?${sheet}`}
              state={saves && body !== null ? { form: body } : null}
            >
              Show on the Sheet
            </Link>
          </>
        )}
      </p>
      {recorded?.steps.map(({ step: at, stopped }) =>
        stopped === null ? null : (
          <p key={at}>
            Stopped at {stepTitle[at]}: {stopped}
          </p>
        ),
      )}
      {saves && (
        <dl>
          <dt>Rows touched</dt>
          <dd>{touchedOf(one)}</dd>
          <dt>Log entries</dt>
          <dd>{entries.length}</dd>
        </dl>
      )}
      {changed.length > 0 && (
        <Scroll aria-label="Row before and after">
          <Table>
            <thead>
              <tr>
                <th scope="col">Column</th>
                <th scope="col">Before</th>
                <th scope="col">After</th>
              </tr>
            </thead>
            <tbody>
              {changed.map(([name, before, after]) => (
                <tr key={name}>
                  <th scope="row">
                    <code>{name}</code>
                  </th>
                  <td>
                    <code>{before ?? "null"}</code>
                  </td>
                  <td>
                    <code>{after ?? "null"}</code>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {body !== null && body !== "" && (
        <details>
          <summary>Body</summary>
          <Scroll aria-label="Body">
            <pre>{body.slice(0, 5000)}</pre>
          </Scroll>
        </details>
      )}
      {answer !== "" && (
        <details>
          <summary>Response</summary>
          <Scroll aria-label="Response">
            <pre>{answer}</pre>
          </Scroll>
        </details>
      )}
    </li>
  );
}

/** A case with its evidence: what was sent, what came of it, and what the table and the log say of it. */
export function CaseDetail({ page, played }: { page: string; played: Played }) {
  const { title, expects, by, because, notes, evidence, id, step } = played;
  const [mark, result] = resultOf(played);
  return (
    <Block aria-labelledby="case">
      <h2 id="case">{title}</h2>
      <dl>
        <dt>Expected</dt>
        <dd>{expects}</dd>
        <dt>According to</dt>
        <dd>{by}</dd>
        <dt>Result</dt>
        <dd>
          <Mark kind={mark}>{result}</Mark>
          {because.map((line) => (
            <p key={line}>{line}</p>
          ))}
        </dd>
        {notes.length > 0 && (
          <>
            <dt>Notes</dt>
            <dd>
              {notes.map((line) => (
                <p key={line}>{line}</p>
              ))}
            </dd>
          </>
        )}
        <dt>Case</dt>
        <dd>
          <code>{id}</code>
        </dd>
      </dl>
      <ol aria-label="Requests of this case">
        {evidence.map((one, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a request's place in the case is its name
          <One key={index} page={page} one={one} step={step} />
        ))}
      </ol>
    </Block>
  );
}
