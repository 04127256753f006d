import { useEffect, useState } from "react";
import { useLocation, useNavigate } from "react-router";

/** The rows of a list that are selected, by what they are known by. */
export interface Chosen {
  readonly ids: ReadonlySet<string>;
  readonly choose: (id: string, isChosen: boolean) => void;
  readonly clear: () => void;
}

const none: ReadonlySet<string> = new Set();

/** What is selected stands in the window's history as well: whoever goes on to something and comes back finds it as it was. */
export function useChosen(): Chosen {
  const { state, search } = useLocation() as { state: { readonly chosen?: readonly string[] } | null; search: string };
  const navigate = useNavigate();
  const [ids, setIds] = useState<ReadonlySet<string>>(() => new Set(state?.chosen));
  const kept = state?.chosen ?? [];
  const isKept = kept.length === ids.size && kept.every((id) => ids.has(id));
  useEffect(() => {
    if (!isKept)
      void navigate({ search }, { replace: true, preventScrollReset: true, state: { ...state, chosen: [...ids] } });
  });
  return {
    ids,
    choose: (id, isChosen) =>
      setIds((before) => {
        const after = new Set(before);
        if (isChosen) after.add(id);
        else after.delete(id);
        return after;
      }),
    clear: () => setIds(none),
  };
}
