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

const Line = styled.span<{ $colour: "verdigris" | "soft" | "ochre" | "minium" }>`
  color: ${({ theme, $colour }) => theme[$colour]};
  white-space: nowrap;
`;

export function Mark({ kind, children }: { kind: MarkKind; children: React.ReactNode }) {
  const { sign, colour } = marks[kind];
  return (
    <Line $colour={colour}>
      <span aria-hidden="true">{sign}</span> {children}
    </Line>
  );
}
