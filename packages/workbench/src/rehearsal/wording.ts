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

/** What became of one case: where it is the published page's, the draft only differs. */
export const resultOf = ({
  verdict,
  isOfPublished,
}: Pick<PlayedAnswer, "verdict" | "isOfPublished">): readonly [MarkKind, string] =>
  isOfPublished && verdict === "otherwise"
    ? ["wait", "differs from the published page"]
    : [verdictMark[verdict], verdictWord[verdict]];

/** How many of the published page's cases come out otherwise. */
export const differs = (count: number): string =>
  count === 1 ? "1 case differs from the published page" : `${count} cases differ from the published page`;
