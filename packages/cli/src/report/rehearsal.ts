import type { Played, Rehearsal } from "@loyal-quill/authoring/rehearsal";
import { html, type Markup } from "@loyal-quill/core";
import type { RehearsalFormat } from "./formats.js";

export type { RehearsalFormat } from "./formats.js";

/** A page file with what its rehearsal came to; null where the page has errors and can't be rehearsed. */
export interface RehearsedFile {
  readonly file: string;
  readonly rehearsal: Rehearsal | null;
  /** Why there is none. */
  readonly because: string | null;
}

/** How a verdict is told. */
const words: Readonly<Record<Played["verdict"], string>> = {
  "as expected": "as expected",
  otherwise: "not as expected",
  "not judged": "not judged",
  "left out": "left out",
};

const fell = ({ verdict }: Played): boolean => verdict === "otherwise";

function textOf(files: readonly RehearsedFile[], all: boolean): string {
  const lines = files.flatMap(({ file, rehearsal, because }) => {
    if (!rehearsal) return [`${file}: not rehearsed: ${because}`];
    const { counts, cases, changed, left, actor, ms } = rehearsal;
    const told = cases.filter(
      (each) => fell(each) || each.verdict === "not judged" || (all && each.verdict === "left out"),
    );
    return [
      `${file}: ${cases.length} cases in ${(ms / 1000).toFixed(1)} s${actor ? `, as ${actor.name}` : ""}: ${counts["as expected"]} as expected, ${counts.otherwise} not as expected, ${counts["not judged"]} not judged, ${counts["left out"]} left out`,
      ...told.flatMap(({ verdict, id, title, expects, because: why }) => [
        `  ${words[verdict]}  ${id}  ${title}`,
        ...(verdict === "otherwise" ? [`    expected: ${expects}`] : []),
        ...why.map((each) => `    ${each}`),
      ]),
      ...changed.flatMap(({ id, title, because: why }) => [
        `  differs from before  ${id}  ${title}`,
        ...why.map((each) => `    ${each}`),
      ]),
      ...left.map((each) => `  note: ${each}`),
    ];
  });
  return `${lines.join("\n")}\n`;
}

/** XML 1.0 (2.2) has no way to write most control characters: they become U+FFFD. */
const written = (text: string): string =>
  text.replaceAll(/(?![\t\n\r])\p{Cc}|[\uFFFE\uFFFF]|\p{Surrogate}/gu, "\uFFFD");

function testCase(page: string, { id, step, title, verdict, because, expects, ms }: Played): Markup {
  const inside =
    verdict === "otherwise"
      ? html`<failure message="${written(because[0] ?? "")}">${written(`expected: ${expects}\n${because.join("\n")}`)}</failure>`
      : verdict === "as expected"
        ? null
        : html`<skipped message="${written(`${verdict}: ${because[0] ?? ""}`)}"/>`;
  return html`<testcase classname="${written(`${page}.${step}`)}" name="${written(`${id}: ${title}`)}" time="${(ms / 1000).toFixed(3)}">${inside}</testcase>
`;
}

/** The results in the XML that continuous integration reads of test runs: a suite a page, a test case a case. */
function junit(files: readonly RehearsedFile[]): string {
  const suites = files.map(({ file, rehearsal, because }) => {
    if (!rehearsal)
      return html`<testsuite name="${written(file)}" tests="1" failures="0" errors="1"><testcase classname="${written(file)}" name="review"><error message="${written(because ?? "")}"/></testcase></testsuite>
`;
    const cases = [...rehearsal.cases, ...rehearsal.changed];
    return html`<testsuite name="${written(file)}" tests="${String(cases.length)}" failures="${String(cases.filter(fell).length)}" skipped="${String(cases.filter(({ verdict }) => verdict === "not judged" || verdict === "left out").length)}" time="${(rehearsal.ms / 1000).toFixed(3)}" timestamp="${rehearsal.at}">
${cases.map((each) => testCase(rehearsal.page, each))}</testsuite>
`;
  });
  return `<?xml version="1.0" encoding="UTF-8"?>\n${html`<testsuites>${suites}</testsuites>`.text}\n`;
}

/** What `quill rehearse` writes, by format. */
export const rehearsalReports: Readonly<
  Record<RehearsalFormat, (files: readonly RehearsedFile[], all: boolean) => string>
> = {
  text: textOf,
  json: (files) => `${JSON.stringify({ files }, null, 2)}\n`,
  junit,
};
