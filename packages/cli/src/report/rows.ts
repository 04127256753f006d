/** A row of a file that came back, with the cells that differ. */
interface AppliedRow {
  /** Its place in the file, from 1; the headings are the first. */
  readonly line: number;
  readonly title: string;
  readonly state: string;
  readonly detail?: string | undefined;
  readonly cells: readonly {
    readonly field: string;
    readonly old: string;
    readonly new: string;
    readonly detail?: string | undefined;
    readonly theirs?: string | undefined;
  }[];
}

/** What became of a file that came back. */
export interface AppliedRows {
  readonly page: string;
  readonly problem?: string | undefined;
  readonly read?:
    | { readonly rows: number; readonly untouched: number; readonly unmarked: number; readonly readOnly: number }
    | undefined;
  readonly saved: number;
  readonly changed: readonly AppliedRow[];
  readonly added: readonly AppliedRow[];
  /** In read-only columns only. */
  readonly ignored: readonly AppliedRow[];
  readonly conflicts: readonly AppliedRow[];
  readonly refused: readonly AppliedRow[];
}

const oneLine = (text: string): string => text.replaceAll(/\s*\n\s*/g, " ⏎ ");

function rowLines(word: string, { line, title, detail, cells }: AppliedRow): string[] {
  const said = detail === undefined ? "" : `  ${detail}`;
  return [
    `${word}  row ${line}${title === "" ? "" : `  ${title}`}${said}`,
    ...cells.flatMap((cell) => [
      `    ${cell.field}: ${oneLine(cell.old)} → ${oneLine(cell.new)}`,
      ...(cell.theirs === undefined ? [] : [`      stored now: ${oneLine(cell.theirs)}`]),
      ...(cell.detail === undefined ? [] : [`      ${cell.detail}`]),
    ]),
  ];
}

function textOf(applied: AppliedRows, isSaving: boolean): string {
  const { page, problem, read, saved, changed, added, ignored, conflicts, refused } = applied;
  const readOnly = read !== undefined && read.readOnly > 0 ? `, read-only: ${read.readOnly}` : "";
  const unmarked = read !== undefined && read.unmarked > 0 ? `, without a mark: ${read.unmarked}` : "";
  return [
    ...(read === undefined
      ? []
      : [`Page ${page}: rows read: ${read.rows}, unchanged: ${read.untouched}${readOnly}${unmarked}.`]),
    ...changed.flatMap((row) => rowLines("changed ", row)),
    ...added.flatMap((row) => rowLines("new     ", row)),
    ...ignored.flatMap((row) => rowLines("ignored ", row)),
    ...conflicts.flatMap((row) => rowLines("conflict", row)),
    ...refused.flatMap((row) => rowLines("refused ", row)),
    ...(problem === undefined ? [] : [problem]),
    isSaving ? `Rows saved: ${saved}.` : "Nothing was written: --save does it.",
    "",
  ].join("\n");
}

/** How what became of a file is written. */
export const rowsReports = {
  text: textOf,
  json: (applied: AppliedRows): string => `${JSON.stringify(applied, null, 2)}\n`,
} as const;
