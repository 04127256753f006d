import { styled } from "styled-components";
import { difference } from "./difference.js";

const Old = styled.del`
  color: ${({ theme }) => theme.soft};
  text-decoration-thickness: 1px;
`;

const New = styled.ins`
  text-decoration: none;
  em { font-style: normal; border-bottom: 2px solid ${({ theme }) => theme.verdigris}; }
`;

const Line = styled.span`
  display: flex;
  flex-wrap: wrap;
  gap: 0 0.6em;
  font-family: ${({ theme }) => theme.wire};
  font-size: 0.8125rem;
  overflow-wrap: anywhere;
  i { font-style: normal; color: ${({ theme }) => theme.soft}; }
`;

const context = 24;
const longestMiddle = 120;

const oneLine = (text: string): string => text.replaceAll("\n", " ⏎ ");
const ending = (text: string): string => (text.length > context ? `…${text.slice(-context)}` : text);
const beginning = (text: string): string => (text.length > context ? `${text.slice(0, context)}…` : text);
const shortened = (text: string): string => (text.length > longestMiddle ? `${text.slice(0, longestMiddle)}…` : text);

/** A long value around the place where it differs from the other; a short one whole. */
function Around({ value, other, marked }: { value: string; other: string | null; marked: boolean }) {
  const parts = other === null ? { head: "", middle: value, tail: "" } : difference(other, value);
  const whole = value.length <= 60;
  const middle = oneLine(shortened(parts.middle));
  return (
    <>
      {oneLine(whole ? parts.head : ending(parts.head))}
      {marked && other !== null && parts.middle ? <em>{middle}</em> : middle}
      {oneLine(whole ? parts.tail : beginning(parts.tail))}
    </>
  );
}

/** One field of a change: its name, the old value struck through, the new one with what differs underlined. */
export function ValueChange({
  field,
  before,
  after,
  untold,
}: {
  field: string;
  before: string | null;
  after: string | null;
  /** Why its values are not told; null where they are. */
  untold: "hidden" | "erased" | null;
}) {
  if (untold)
    return (
      <Line>
        <i>{field}</i>
        <span>{untold === "hidden" ? "changed, its values are not kept" : "its values were erased"}</span>
      </Line>
    );
  return (
    <Line>
      <i>{field}</i>
      <Old>{before === null ? "null" : <Around value={before} other={after} marked={false} />}</Old>
      <span aria-hidden="true">→</span>
      <New>{after === null ? "null" : <Around value={after} other={before} marked />}</New>
    </Line>
  );
}
