import type { RecordedRequest, RecordedStep } from "@loyal-quill/core";

/** The longest text of a value that is shown in a line, in characters. */
const longest = 120;

const shown = (value: string | null): string => {
  if (value === null) return "null";
  const line = JSON.stringify(value);
  return line.length > longest ? `${line.slice(0, longest)}…` : line;
};

function stepLine({ step, ms, statements, stopped, own = [] }: RecordedStep): string {
  const sent = statements.map(({ purpose, rows }) => `${purpose}: ${rows} ${rows === 1 ? "row" : "rows"}`);
  const parts = [
    `${ms.toFixed(1).padStart(7)} ms`,
    step.padEnd(8),
    ...sent,
    ...own.map(({ name, ms: took, said }) => `${name}: ${took.toFixed(1)} ms${said === null ? "" : `, ${said}`}`),
    ...(stopped ? [`stopped: ${stopped}`] : []),
  ];
  return `  ${parts.join("  ")}`;
}

const valueLines = ({ values, statements }: RecordedStep): string[] => [
  ...values.map(({ row, name, value, sent, note }) => {
    const told = sent === undefined || sent === value ? "" : `  sent as ${shown(sent)}`;
    return `               ${row === undefined ? "" : `${row}: `}${name} = ${shown(value)}${told}${note ? `  (${note})` : ""}`;
  }),
  ...statements.flatMap(({ text, values: parameters }) => [
    ...text.split("\n").map((line) => `               | ${line}`),
    ...parameters.map((value, index) => `               | $${index + 1} = ${shown(value)}`),
  ]),
];

/**
 * A request as lines for a console: what it was and how it ended, then its steps, a line each.
 *
 * @param withValues whether every value and statement is told as well
 */
export function stepLines(recorded: RecordedRequest, withValues: boolean): string[] {
  const { method, path, outcome, status, ms, steps } = recorded;
  return [
    `${method} ${path}  ${status} ${outcome}, ${ms.toFixed(1)} ms`,
    ...steps.flatMap((step) => [
      stepLine(step),
      ...(step.noticed ?? []).map((sentence) => `               ${sentence}`),
      ...(withValues ? valueLines(step) : []),
    ]),
  ];
}
