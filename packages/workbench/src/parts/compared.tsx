import { comparedLines } from "@loyal-quill/authoring";
import { styled } from "styled-components";

const signs = { same: " ", gone: "−", new: "+" } as const;

const Lines = styled.pre`
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  padding: ${({ theme }) => `${theme.space(2)} 0`};
`;

const Line = styled.span<{ $kind: keyof typeof signs }>`
  display: block;
  color: ${({ theme, $kind }) => ($kind === "same" ? theme.soft : theme.ink)};
`;

/** Two texts, line by line: what differs, and the lines around it. */
export function Compared({ before, after }: { before: string; after: string }) {
  return (
    <Lines>
      {comparedLines(before, after).map(({ kind, text }, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a line's place is what it is known by
        <Line key={index} $kind={kind}>
          {signs[kind]} {kind === "gone" ? <del>{text}</del> : text}
        </Line>
      ))}
    </Lines>
  );
}
