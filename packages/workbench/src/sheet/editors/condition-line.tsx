import type { ConditionAnswer } from "@loyal-quill/server/api";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type RefObject, Suspense, useId, useRef } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";
import { ask } from "../../api/client.js";
import { madeOf } from "../../api/made-of.js";
import { Line, Text } from "../../parts/inputs.js";
import { Mark } from "../../parts/mark.js";
import { part } from "../../parts/part.js";
import { useEditing } from "../editing/settings.js";

/** Where the editor can't be had, the plain control does. */
const ConditionEditor = part(() => import("../../code/condition-editor.js"), {
  instead: (props) => <Plain {...props} cursor={noCursor} />,
});
const noCursor: RefObject<number | null> = { current: null };

const Said = styled.p`
  span { white-space: normal; }
  grid-column: 2;
  font-size: 0.875rem;
  min-height: 1.25rem;
  color: ${({ theme }) => theme.soft};
  summary { cursor: pointer; color: ${({ theme }) => theme.verdigris}; }
  code { overflow-wrap: anywhere; }
`;

interface ConditionLineProps {
  readonly label: string;
  /** What the condition may ask for. */
  readonly place: "open" | "row" | "form" | "choices";
  /** The field whose choices it restricts. */
  readonly field?: string;
  readonly value: string;
  /** One that could stand there. */
  readonly example: string;
  /** What it is known by to whoever asks for the focus; its label, if nothing else is said. */
  readonly focusName?: string;
  readonly onChange: (value: string) => void;
}

const number = new Intl.NumberFormat("en-GB");

/** How many stored rows fail, are unknown and hold, in that order, and none that there are none of. */
function counts({ holds, fails, unknown }: NonNullable<ConditionAnswer["counted"]>): string {
  const all = number.format(holds + fails + unknown);
  const parts = [
    ...(fails > 0 ? [`fails for ${number.format(fails)}`] : []),
    ...(unknown > 0 ? [`unknown for ${number.format(unknown)}`] : []),
    ...(holds > 0 ? [`holds for ${number.format(holds)}`] : []),
  ];
  return parts.length === 0 ? "no rows yet" : `${parts.join(", ")} of ${all} rows`;
}

function Result({ answer }: { answer: ConditionAnswer }) {
  const { problem, here, sql, counted } = answer;
  if (problem) return <Mark kind="stop">{problem.message}</Mark>;
  return (
    <>
      {here !== null && (
        <Mark kind={here === true ? "good" : "quiet"}>
          {here === true ? "true here" : here === false ? "not true here" : "unknown here"}
        </Mark>
      )}
      {here !== null && counted && ", "}
      {counted && counts(counted)}
      {sql && (
        <details>
          <summary>As SQL</summary>
          <code>{sql.text}</code>
          {sql.values.length > 0 && (
            <> with {sql.values.map((value, index) => `$${index + 1} = ${value ?? "null"}`).join(", ")}</>
          )}
        </details>
      )}
    </>
  );
}

interface PlainProps {
  readonly id: string;
  readonly value: string;
  readonly example: string;
  /** Where the cursor is in it; null while it is elsewhere. */
  readonly cursor: RefObject<number | null>;
  readonly onChange: (value: string) => void;
}

/** A plain control until the editor is loaded. */
function Plain({ id, value, example, cursor, onChange }: PlainProps) {
  return (
    <Text
      id={id}
      value={value}
      placeholder={example}
      autoComplete="off"
      onSelect={({ currentTarget }) => {
        cursor.current = currentTarget.selectionStart;
      }}
      onBlur={() => {
        cursor.current = null;
      }}
      onChange={({ target }) => {
        cursor.current = target.selectionStart;
        onChange(target.value);
      }}
    />
  );
}

/** A condition in CEL, with what it says of the record that is looked at, and how many stored rows it admits. */
export function ConditionLine({
  label,
  place,
  field,
  value,
  example,
  focusName = label,
  onChange,
}: ConditionLineProps) {
  const id = useId();
  const cursor = useRef<number | null>(null);
  const { page, text, names, recordKey, as } = useEditing();
  const answer = useQuery({
    queryKey: ["condition", page, text, place, field, value, recordKey, as],
    enabled: value !== "",
    queryFn: ({ signal }) =>
      ask<ConditionAnswer>(`/drafts/${encodeURIComponent(page)}/condition`, {
        method: "POST",
        body: { text, source: value, place, field, key: recordKey, as },
        signal,
      }),
    placeholderData: keepPreviousData,
    gcTime: 5000,
    ...madeOf("rows", "files", "people"),
  });
  const said = value === "" ? undefined : answer.data;
  return (
    <Line>
      <span>
        <label htmlFor={id}>{label}</label>{" "}
        <Link
          to="/help/conditions"
          target="_blank"
          rel="noopener"
          aria-label={`Examples of conditions, for ${label}, in a new tab`}
        >
          CEL
        </Link>
      </span>
      <Suspense fallback={<Plain id={id} value={value} example={example} cursor={cursor} onChange={onChange} />}>
        <ConditionEditor
          id={id}
          label={label}
          value={value}
          example={example}
          focusName={focusName}
          place={place}
          names={names}
          problem={said?.problem ?? null}
          onChange={onChange}
          takeCursor={() => cursor.current}
        />
      </Suspense>
      {value !== "" && <Said role="status">{said && <Result answer={said} />}</Said>}
    </Line>
  );
}
