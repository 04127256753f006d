import { Children, type ReactNode } from "react";
import { styled } from "styled-components";
import type { Theme } from "../theme.js";

/** A state is a mark and a word, never a colour alone. */
const marks = {
  good: { sign: "✓", colour: "verdigris" },
  quiet: { sign: "·", colour: "soft" },
  wait: { sign: "△", colour: "ochre" },
  stop: { sign: "✕", colour: "minium" },
} as const satisfies Record<string, { sign: string; colour: keyof Theme }>;

export type MarkKind = keyof typeof marks;

const Line = styled.span<{ $colour: "verdigris" | "soft" | "ochre" | "minium"; $isLong: boolean }>`
  color: ${({ theme, $colour }) => theme[$colour]};
  ${({ $isLong }) => ($isLong ? "overflow-wrap: anywhere;" : "white-space: nowrap;")}
`;

/** A state of so many letters stands in one line; what is longer is a sentence, and is broken. */
const mostInOneLine = 60;

const lettersIn = (children: ReactNode): number =>
  Children.toArray(children).reduce<number>((sum, each) => sum + (typeof each === "string" ? each.length : 0), 0);

export function Mark({ kind, children }: { kind: MarkKind; children: ReactNode }) {
  const { sign, colour } = marks[kind];
  return (
    <Line $colour={colour} $isLong={lettersIn(children) > mostInOneLine}>
      <span aria-hidden="true">{sign}</span> {children}
    </Line>
  );
}
