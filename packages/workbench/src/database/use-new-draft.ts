import type { DraftAnswer } from "@loyal-quill/server/api";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { type ApiProblem, ask } from "../api/client.js";
import { askAnew } from "../api/made-of.js";

/** What a draft is begun from. */
export type Begun = { readonly table: string } | { readonly name: string; readonly text: string };

/** What the place of a table is told by who led there. */
export interface Passed {
  /** Why no draft could be begun. */
  readonly refused?: string;
}

/** Begins a draft and opens its Sheet. `onError` is for who is gone by the time of the answer. */
export function useNewDraft(onError?: (error: ApiProblem, from: Begun) => void) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  return useMutation<DraftAnswer, ApiProblem, Begun>({
    ...(onError ? { onError } : {}),
    mutationFn: (from) => ask<DraftAnswer>("/drafts", { method: "POST", body: from }),
    onSuccess: (draft) => {
      void askAnew(queries, "drafts");
      void navigate(`/pages/${encodeURIComponent(draft.name)}`);
    },
  });
}
