/**
 * The scribe's desk: cool laid paper and blue-black ink; verdigris for what is chosen or live, ochre for drafts and what
 * waits, minium for refusals only. Colours and spaces are taken from here and nowhere else.
 */
export const theme = {
  paper: "var(--paper)",
  leaf: "var(--leaf)",
  ink: "var(--ink)",
  soft: "var(--soft)",
  rule: "var(--rule)",
  edge: "var(--edge)",
  verdigris: "var(--verdigris)",
  wash: "var(--wash)",
  ochre: "var(--ochre)",
  minium: "var(--minium)",
  speech: '"Alegreya Sans", "Noto Sans", system-ui, sans-serif',
  wire: '"Fira Mono", ui-monospace, "DejaVu Sans Mono", monospace',
  /** A space of n quarter rems. */
  space: (n: number): string => `${n / 4}rem`,
} as const;

export type Theme = typeof theme;
