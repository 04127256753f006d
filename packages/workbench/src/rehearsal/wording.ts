import type { PlayedAnswer } from "@loyal-quill/server/api";
import type { MarkKind } from "../parts/mark.js";

/** What became of a case, in words. */
export const verdictWord: Readonly<Record<PlayedAnswer["verdict"], string>> = {
  "as expected": "as expected",
  otherwise: "not as expected",
  "not judged": "not judged",
  "left out": "left out",
};

export const verdictMark: Readonly<Record<PlayedAnswer["verdict"], MarkKind>> = {
  "as expected": "good",
  otherwise: "stop",
  "not judged": "wait",
  "left out": "quiet",
};

type Judged = Pick<PlayedAnswer, "verdict" | "isOfPublished">;

/** Whether a case is one of the published page from which the draft differs, and may be meant to. */
export const isDiffering = ({ verdict, isOfPublished }: Judged): boolean =>
  isOfPublished === true && verdict === "otherwise";

/** What became of one case. */
export const resultOf = (each: Judged): readonly [MarkKind, string] =>
  isDiffering(each)
    ? ["wait", "differs from the published page"]
    : [verdictMark[each.verdict], verdictWord[each.verdict]];

/** How many of the published page's cases come out otherwise. */
export const differs = (count: number): string =>
  count === 1 ? "1 case differs from the published page" : `${count} cases differ from the published page`;
