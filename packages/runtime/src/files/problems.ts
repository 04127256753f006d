import { type Finding, isError, nearest, type Stopped } from "@loyal-quill/core";
import type { Loaded } from "./page-files.js";

/** An error in a page file. */
export interface PageProblem {
  /** The name of the page file: `station.page.yaml`. */
  readonly file: string;
  readonly finding: Finding;
  /** What is served in its place: the page as it was before, nothing, or all of the page but what it stops. */
  readonly served: "earlier" | "nothing" | { readonly without: Stopped };
}

const withoutWords = {
  new: "The page is served, but makes no new records.",
  edit: "The page is served, but changes no records.",
  delete: "The page is served, but deletes no records.",
} as const;

const servedWords = (served: PageProblem["served"]): string =>
  served === "earlier"
    ? "The page is served as it was before."
    : served === "nothing"
      ? "The page is out of service."
      : withoutWords[served.without];

/** A problem in one line: `station.page.yaml:11:32  error  The table …`. */
export const problemLine = ({ file, finding, served }: PageProblem): string =>
  `${file}:${finding.line}:${finding.column}  ${finding.severity}  ${finding.message} ${servedWords(served)}`;

/** The errors in page files. */
export const problemsIn = ({ files }: Loaded): readonly PageProblem[] =>
  files.flatMap(({ name, page, findings }) =>
    findings
      .filter((each) => isError(each) || each.stops)
      .map((finding) => ({
        file: `${name}.page.yaml`,
        finding,
        served: page && finding.stops ? { without: finding.stops } : page ? ("earlier" as const) : ("nothing" as const),
      })),
  );

/** Steps and templates of forms that belong to no page file, each with what is to be told of it. */
export function straysIn(
  { files }: Loaded,
  steps: ReadonlyMap<string, { readonly source: string }>,
  forms: Readonly<Record<string, unknown>>,
): readonly Error[] {
  const names = files.map(({ name }) => name);
  const given = [
    ...[...steps].map(([name, { source }]) => [name, source] as const),
    ...Object.keys(forms).map((name) => [name, `the form of ${name}`] as const),
  ];
  return given
    .filter(([name]) => !names.includes(name))
    .map(([name, source]) => {
      const meant = nearest(name, names);
      const hint = meant === undefined ? "" : ` Did you mean "${meant}"?`;
      return new Error(`${source}: there is no ${name}.page.yaml, so nothing uses it.${hint}`);
    });
}

/** Tells each error in page files once, for as long as it is there. */
export class PageProblems {
  private told = new Set<string>();

  constructor(private readonly tell: (problem: PageProblem) => void) {}

  look(loaded: Loaded): void {
    const now = new Set<string>();
    for (const problem of problemsIn(loaded)) {
      const line = problemLine(problem);
      now.add(line);
      if (!this.told.has(line)) this.tell(problem);
    }
    this.told = now;
  }
}
