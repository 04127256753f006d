import type { RehearsalAnswer } from "@loyal-quill/server/api";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { ask } from "../../api/client.js";
import { useRehearsal } from "../../api/queries.js";
import { Mark } from "../../parts/mark.js";
import { differs } from "../../rehearsal/wording.js";

const otherwise = (count: string | number) =>
  count === 1
    ? "In the rehearsal 1 case did not come out as expected."
    : `In the rehearsal ${count} cases did not come out as expected.`;

/** The quick rehearsal of a draft that is about to be published: begun as soon as it is asked about. */
export function QuickRehearsal({ page, text }: { page: string; text: string }) {
  const queries = useQueryClient();
  const rehearsal = useRehearsal(page);
  const [refused, setRefused] = useState<string>();
  const answer = rehearsal.data?.text === text ? rehearsal.data : undefined;
  const isKnown = rehearsal.isSuccess;
  const isFresh = answer !== undefined && answer.state !== "cancelled" && answer.state !== "failed";
  useEffect(() => {
    if (!isKnown || isFresh) return;
    const path = `/drafts/${encodeURIComponent(page)}/rehearsal`;
    ask<RehearsalAnswer>(path, { method: "POST", body: { text, quick: true } }).then(
      (begun) => queries.setQueryData(["rehearsal", page], begun),
      (error: Error) => setRefused(error.message),
    );
    // Once for each text.
  }, [isKnown, isFresh, page, text, queries]);
  const link = <Link to={`/pages/${encodeURIComponent(page)}/rehearsal`}>Show rehearsal</Link>;
  const failed = refused ?? (answer?.state === "failed" ? answer.because : null);
  const counts = answer?.rehearsal?.counts;
  return (
    <p role="status">
      {failed && <Mark kind="wait">Not rehearsed: {failed}</Mark>}
      {!failed && !counts && `Rehearsing, ${Math.round((answer?.done ?? 0) * 100)} % …`}
      {counts && counts.otherwise > 0 && <Mark kind="stop">{otherwise(counts.otherwise)}</Mark>}
      {counts && counts.otherwise === 0 && (
        <Mark kind="good">
          Rehearsed: {counts["as expected"]} cases as expected, {counts["not judged"]} not judged.
        </Mark>
      )}
      {answer?.rehearsal && answer.rehearsal.changed.length > 0 && (
        <>
          {" "}
          <Mark kind="wait">{differs(answer.rehearsal.changed.length)}.</Mark>
        </>
      )}{" "}
      {counts && link}
    </p>
  );
}
