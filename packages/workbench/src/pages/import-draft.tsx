import type { DraftAnswer } from "@loyal-quill/server/api";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { Link, useNavigate } from "react-router";
import { styled } from "styled-components";
import { ApiProblem, ask } from "../api/client.js";
import { madeOf } from "../api/made-of.js";
import { useNewDraft } from "../database/use-new-draft.js";
import { Compared } from "../parts/compared.js";
import { Moment } from "../parts/moment.js";
import { QuietButton, Strong } from "../parts/states.js";
import { Scroll } from "../parts/table.js";
import type { Imported, ImportedOver } from "../sheet/draft/use-import.js";

const askForDraft = (name: string, signal?: AbortSignal): Promise<DraftAnswer> =>
  ask<DraftAnswer>(`/drafts/${encodeURIComponent(name)}`, { signal });

/** Begins a draft from a page file. Where the page has one already, or is what the file has, that is told instead (`ImportOver`). */
export function useImportedDraft() {
  const { mutate, reset, isPending, error } = useNewDraft();
  const there = useMutation<DraftAnswer | null, ApiProblem, Imported>({
    mutationFn: ({ name }) =>
      askForDraft(name).catch((wrong: unknown) => {
        if (wrong instanceof ApiProblem && wrong.status === 404) return null;
        throw wrong;
      }),
    onSuccess: (draft, { name, text }) => {
      if (!isInTheWay(draft, text)) mutate({ name, text });
    },
  });
  const { reset: resetThere } = there;
  return {
    begin: there.mutate,
    isPending: there.isPending || isPending,
    error: there.error ?? error,
    /** What stands where the file would go. */
    over: isInTheWay(there.data, there.variables?.text) && {
      imported: there.variables as Imported,
      draft: there.data as DraftAnswer,
    },
    reset: useCallback((): void => {
      resetThere();
      reset();
    }, [resetThere, reset]),
  };
}

/** Whether a page has a draft, or nothing would differ from what is served. */
const isInTheWay = (draft: DraftAnswer | null | undefined, text: string | undefined): boolean =>
  !!draft && (draft.revision > 0 || draft.text === text);

const Over = styled.section`
  margin-bottom: ${({ theme }) => theme.space(5)};
  p { margin-bottom: ${({ theme }) => theme.space(2)}; }
  ${Scroll} { max-height: 20rem; overflow-y: auto; margin-bottom: ${({ theme }) => theme.space(3)}; border-block: 1px solid ${({ theme }) => theme.rule}; }
  > div:last-child { display: flex; gap: ${({ theme }) => theme.space(4)}; align-items: baseline; }
`;

/** What stands where an imported file would go, and what can be done about it. */
export function ImportOver({
  over: { imported, draft: found },
  close,
}: {
  over: { readonly imported: Imported; readonly draft: DraftAnswer };
  close: () => void;
}) {
  const navigate = useNavigate();
  const { name, text } = imported;
  // Others may go on with the draft while it is looked at.
  const { data: draft } = useQuery({
    queryKey: ["imported-over", name],
    queryFn: ({ signal }) => askForDraft(name, signal),
    initialData: found,
    gcTime: 0,
    ...madeOf("drafts", "files"),
  });
  const sheet = `/pages/${encodeURIComponent(name)}`;
  const hasDraft = draft.revision > 0;
  const page = <Link to={sheet}>{name}</Link>;
  return (
    <Over aria-label="Import" aria-live="polite">
      {draft.text === text ? (
        <p>
          {hasDraft ? <>The draft of {page} has the same text.</> : <>The page {page} is served with the same text.</>}{" "}
          Nothing was imported.
        </p>
      ) : (
        <>
          <p>
            The page {page} {hasDraft ? "has a draft" : "has no draft any more"}
            {draft.by !== null && <>, last changed by {draft.by}</>}
            {draft.at !== null && (
              <>
                {" "}
                (<Moment at={draft.at} />)
              </>
            )}
            . This is what the import would change:
          </p>
          <Scroll aria-label="What the import would change">
            <Compared before={draft.text} after={text} />
          </Scroll>
        </>
      )}
      <div>
        {draft.text !== text && (
          <Strong onClick={() => void navigate(sheet, { state: { imported } satisfies ImportedOver })}>
            {hasDraft ? "Replace draft" : "Import as draft"}
          </Strong>
        )}
        <QuietButton onClick={close}>{draft.text === text ? "Close" : "Cancel"}</QuietButton>
        {draft.text !== text && <span>You can undo this in the Sheet.</span>}
      </div>
    </Over>
  );
}
