import type { CensusCount } from "@loyal-quill/authoring";
import type { CensusAnswer } from "@loyal-quill/server/api";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ProgressBar } from "react-aria-components";
import { Link } from "react-router";
import { styled } from "styled-components";
import { ask } from "../../api/client.js";
import { useCensus } from "../../api/queries.js";
import { Copy } from "../../parts/copy.js";
import { figure } from "../../parts/figures.js";
import { Small } from "../../parts/inputs.js";
import { Mark } from "../../parts/mark.js";
import { Moment } from "../../parts/moment.js";
import { Failed, QuietButton, Waiting } from "../../parts/states.js";
import { Migration } from "../draft/migration.js";

const Pane = styled.div`
  padding: ${({ theme }) => `${theme.space(3)} 0 0 ${theme.space(4)}`};
  > ul > li { padding: ${({ theme }) => `${theme.space(2)} 0`}; border-bottom: 1px solid ${({ theme }) => theme.rule}; }
  pre { white-space: pre-wrap; overflow-wrap: anywhere; padding: ${({ theme }) => `${theme.space(1)} 0`}; }
  summary { cursor: pointer; padding: 2px 0; color: ${({ theme }) => theme.verdigris}; }
`;

const Soft = styled.p`
  color: ${({ theme }) => theme.soft};
`;

const Keys = styled.p`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => `0 ${theme.space(3)}`};
`;

const Track = styled(ProgressBar)`
  display: block;
  margin: ${({ theme }) => `${theme.space(2)} 0`};
  > div { height: 6px; border: 1px solid ${({ theme }) => theme.edge}; }
  > div > div { height: 100%; background: ${({ theme }) => theme.verdigris}; }
`;

/** What a count is about, in words. */
const aboutText = ({ field, rule, demand }: CensusCount): string =>
  rule === "check" ? demand : `${field ?? ""}: ${demand}`;

function Count({ count, name }: { count: CensusCount; name: string }) {
  const { refused, because, examples, hold, when } = count;
  return (
    <li>
      <p>
        <code>{aboutText(count)}</code>
        {when && (
          <>
            {" "}
            when <code>{when}</code>
          </>
        )}
      </p>
      {refused === null && <Mark kind="wait">unknown: {because}</Mark>}
      {refused === 0 && <Mark kind="good">No stored rows fail</Mark>}
      {refused !== null && refused > 0 && (
        <>
          <Mark kind="stop">{refused === 1 ? "1 stored row fails" : `${figure(refused)} stored rows fail`}</Mark>
          <Keys>
            {examples.map((key) => (
              <Link
                key={key.join("\n")}
                to={`/pages/${encodeURIComponent(name)}?${new URLSearchParams(key.map((part) => ["key", part]))}`}
              >
                <code>{key.join(" / ")}</code>
              </Link>
            ))}
            {examples.length < refused && <span>and {figure(refused - examples.length)} more</span>}
          </Keys>
        </>
      )}
      {hold !== null && (
        <details>
          <summary>SQL to enforce this in the table</summary>
          {refused !== null && refused > 0 && <Soft>VALIDATE succeeds only once no stored row fails.</Soft>}
          <pre>{hold.up}</pre>
          <Copy text={hold.up} what={`the SQL: ${aboutText(count)}`} />
        </details>
      )}
    </li>
  );
}

function Running({ answer, cancel }: { answer: CensusAnswer; cancel: () => void }) {
  return (
    <>
      <Track value={answer.done * 100} aria-label="Counting">
        {({ percentage }) => (
          <div>
            <div style={{ width: `${percentage}%` }} />
          </div>
        )}
      </Track>
      <p>
        Counting, {Math.round(answer.done * 100)} % …{" "}
        {answer.soFar && (
          <>
            {figure(answer.soFar.rows)} rows read so far,{" "}
            {figure(answer.soFar.refused.filter((count) => count > 0).length)} of {answer.soFar.refused.length} rules
            and checks fail for some of them.{" "}
          </>
        )}
        <Small type="button" onClick={cancel}>
          Stop counting
        </Small>
      </p>
    </>
  );
}

/** How many stored rows each rule and check would refuse, counted in the background, at one moment. */
export default function CensusPane({ name, text }: { name: string; text: string }) {
  const queries = useQueryClient();
  const census = useCensus(name);
  const [problem, setProblem] = useState<string>();
  const path = `/drafts/${encodeURIComponent(name)}/census`;
  const send = async (method: "POST" | "DELETE"): Promise<void> => {
    try {
      setProblem(undefined);
      queries.setQueryData(
        ["census", name],
        await ask<CensusAnswer>(path, { method, ...(method === "POST" ? { body: { text } } : {}) }),
      );
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  if (census.isPending) return <Waiting height="10rem" what="Loading last census" />;
  if (census.error) return <Failed error={census.error} again={() => void census.refetch()} />;
  const answer = census.data;
  const isOld = answer !== null && answer.text !== text;
  return (
    <Pane>
      {answer?.state === "running" ? (
        <Running answer={answer} cancel={() => void send("DELETE")} />
      ) : (
        <>
          {!answer && (
            <Soft>Counts the stored rows that fail each rule and check of this draft. Nothing is changed.</Soft>
          )}
          {answer?.state === "cancelled" && <Mark kind="wait">Census cancelled.</Mark>}
          {answer?.state === "failed" && <Mark kind="stop">{answer.because}</Mark>}
          {answer?.census && (
            <p>
              {figure(answer.census.rows)} rows, as they were at <Moment at={answer.begun} />.{" "}
              {isOld && <Mark kind="wait">The draft has changed since this census.</Mark>}
            </p>
          )}
          <p style={{ marginTop: "0.5rem" }}>
            <QuietButton onClick={() => void send("POST")}>{answer ? "Run again" : "Run census"}</QuietButton>
          </p>
        </>
      )}
      {problem && <Mark kind="stop">{problem}</Mark>}
      {answer?.census && (
        <Migration
          title={`${name} constraints`}
          changes={answer.census.counts.flatMap(({ hold, refused }) => (hold && refused === 0 ? [hold] : []))}
        />
      )}
      {answer?.census && (
        <ul aria-label="Census">
          {answer.census.counts.length === 0 && (
            <li>The page has no rules or checks of its own. Table constraints are enforced by the database.</li>
          )}
          {answer.census.counts.map((count, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: two rules of a field may demand the same
            <Count key={index} count={count} name={name} />
          ))}
        </ul>
      )}
    </Pane>
  );
}
