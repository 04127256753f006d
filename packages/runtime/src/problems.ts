import { type Finding, isError } from "@loyal-quill/core";
import type { Loaded } from "./page-files.js";

/** An error in a page file. */
export interface PageProblem {
  /** The name of the page file: `station.page.yaml`. */
  readonly file: string;
  readonly finding: Finding;
  /** What is served in its place: the page as it was before, or nothing. */
  readonly served: "earlier" | "nothing";
}

/** A problem in one line: `station.page.yaml:11:32  error  The table …`. */
export const problemLine = ({ file, finding, served }: PageProblem): string =>
  `${file}:${finding.line}:${finding.column}  ${finding.severity}  ${finding.message}${
    served === "earlier" ? " The page is served as it was before." : " The page is out of service."
  }`;

/** Tells each error in page files once, for as long as it is there. */
export class PageProblems {
  private told = new Set<string>();

  constructor(private readonly tell: (problem: PageProblem) => void) {}

  look({ files }: Loaded): void {
    const now = new Set<string>();
    for (const { name, page, findings } of files)
      for (const finding of findings.filter(isError)) {
        const problem = { file: `${name}.page.yaml`, finding, served: page ? "earlier" : "nothing" } as const;
        const line = problemLine(problem);
        now.add(line);
        if (!this.told.has(line)) this.tell(problem);
      }
    this.told = now;
  }
}
