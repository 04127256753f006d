import { CanNotEdit, editPageFile, type MergeConflict } from "@loyal-quill/authoring";
import type { Edit } from "@loyal-quill/core";
import type { DraftAnswer } from "@loyal-quill/server/api";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type RefObject, useCallback, useEffect, useId, useMemo, useRef, useState } from "react";
import { ApiProblem } from "../../api/client.js";
import { onDraft } from "../../api/feed.js";
import { askAnew } from "../../api/made-of.js";
import { draftServer } from "./draft-server.js";
import { type DraftAction, type DraftState, isUnsaved, noDraft, reduceDraft } from "./draft-state.js";

export interface EditedDraft {
  /** The text that is worked on; undefined until it is known. */
  readonly text: string | undefined;
  /** The text as the server is known to have it. */
  readonly kept: string;
  readonly answer: DraftAnswer | undefined;
  readonly error: ApiProblem | null;
  readonly isSaving: boolean;
  /** Why the last change could not be made, or be kept. */
  readonly complaint: string | null;
  readonly conflicts: readonly MergeConflict[];
  /** What somebody else has done to the draft, of which there is none any more. */
  readonly ended: DraftState["ended"];
  readonly dismiss: () => void;
  /** Has back what somebody else has discarded. */
  readonly bringBack: () => void;
  /** Changes the file; `what` says in a few words what is done, for undo. */
  readonly edit: (edits: readonly Edit[], what: string) => void;
  readonly write: (text: string, what: string) => void;
  readonly undo: () => void;
  readonly redo: () => void;
  readonly undoes: string | null;
  readonly redoes: string | null;
  readonly bringIn: () => void;
  /** `everybody`: it is meant that everybody who is signed in may open it. */
  readonly publish: (everybody?: boolean) => Promise<boolean>;
  readonly discard: () => void;
  /** Takes away a draft of a page that is not served: nothing of it is left. */
  readonly abandon: () => Promise<boolean>;
  /** Puts one's own value in the place of somebody else's, or lets go of it. */
  readonly settle: (conflict: MergeConflict, mine: boolean) => void;
  readonly reload: () => void;
  /** The change of the table is known; the page stays as it is. */
  readonly note: () => void;
}

/** What is typed is saved this long after the last key, and what could not be saved is tried again after this long, in milliseconds. */
const calm = 250;
const retry = 3000;

/** How often it is tried to save what was typed last where the place was left. */
const mostTurns = 100;

/** How long something that needs the server to have everything waits for that, in milliseconds. */
const patience = 10_000;

/** A state whose newest value can be read at once, in callbacks that outlive a rendering. */
function useDraftState(): [DraftState, () => DraftState, (action: DraftAction) => void] {
  const [state, setState] = useState(noDraft);
  const latest = useRef(noDraft);
  const send = useCallback((action: DraftAction) => {
    latest.current = reduceDraft(latest.current, action);
    setState(latest.current);
  }, []);
  return [state, useCallback(() => latest.current, []), send];
}

/** What the server said of something that could not be done. */
const reason = (error: unknown): string =>
  error instanceof ApiProblem ? `${error.title}. ${error.message}` : String(error);

/** What is said of a draft that could not be saved. Another try helps unless it is the text that is refused. */
const notSaved = (error: unknown): string =>
  error instanceof ApiProblem && [400, 413].includes(error.status)
    ? `Not saved: ${error.message}`
    : `Not saved: ${error instanceof ApiProblem ? error.title : String(error)}. Retrying.`;

/** Whether the server has neither a draft nor a file of the page. */
const isNothingThere = (error: unknown): boolean => error instanceof ApiProblem && error.status === 404;

/** A draft that is worked on: how it stands by now, what changes that, and the server that keeps it. */
interface Work {
  readonly now: () => DraftState;
  readonly send: (action: DraftAction) => void;
  readonly server: ReturnType<typeof draftServer>;
}

/** Saves what is typed: a little after the last key, once more where that failed, and when the place is left. @returns what saves it at once */
function useSaving(state: DraftState, { now, send, server }: Work): () => Promise<void> {
  const save = useCallback(async () => {
    if (now().sending !== null || !isUnsaved(now())) return;
    try {
      // The answer to the last save was lost: what the server has comes first.
      if (now().doubtful !== null) {
        const { kept } = now();
        send({ do: "hear", answer: await server.read(), kept });
      }
      const { text, kept, doubtful, sending, isGone } = now();
      if (text === undefined || text === kept || doubtful !== null || sending !== null) return;
      send({ do: "send" });
      send({ do: "sent", answer: await (isGone ? server.begin(text) : server.save(kept, text)) });
    } catch (error) {
      send({ do: "not sent", why: notSaved(error) });
      if (isNothingThere(error)) send({ do: "gone" });
    }
  }, [now, send, server]);

  const unsaved = isUnsaved(state);
  // biome-ignore lint/correctness/useExhaustiveDependencies: every new text, and the end of a save, is an occasion to save it
  useEffect(() => {
    if (!unsaved || state.sending !== null) return;
    const timer = setTimeout(() => void save(), state.complaint ? retry : calm);
    return () => clearTimeout(timer);
  }, [state.text, state.sending, state.complaint, state.failures, unsaved, save]);

  // What the server does not have yet would be gone with the window.
  useEffect(() => {
    const hold = (event: BeforeUnloadEvent): void => {
      if (isUnsaved(now())) event.preventDefault();
    };
    addEventListener("beforeunload", hold);
    return () => removeEventListener("beforeunload", hold);
  }, [now]);

  // What was typed last is saved when the place is left, too.
  useEffect(
    () => () => {
      const all = async (): Promise<void> => {
        for (let turn = 0; turn < mostTurns && isUnsaved(now()); turn++) {
          await save();
          await new Promise((resolve) => setTimeout(resolve, 20));
        }
      };
      if (isUnsaved(now())) server.leave(all());
    },
    [now, save, server],
  );
  return save;
}

/** Something that is being done with the draft here: what is heard meanwhile is that, most likely, and is looked at once it is done. */
interface Doing {
  isUnderWay: boolean;
  wasHeard: boolean;
}

/** Hears what others do to the draft. @returns what looks at it anew */
function useOthers(name: string, { now, send, server }: Work, doing: RefObject<Doing>): () => Promise<void> {
  const look = useCallback(
    async (by?: string): Promise<void> => {
      const { kept, sending } = now();
      if (sending !== null) return;
      try {
        send({ do: "hear", answer: await server.read(), kept, ...(by === undefined ? {} : { by }) });
      } catch (error) {
        // Otherwise the feed or the next change asks again.
        if (isNothingThere(error)) send({ do: "gone", ...(by === undefined ? {} : { by }) });
      }
    },
    [now, send, server],
  );
  useEffect(
    () =>
      onDraft((event) => {
        if (event !== null && event.page !== name) return;
        if (doing.current.isUnderWay) doing.current.wasHeard = true;
        else void look(event?.by);
      }),
    [name, look, doing],
  );
  return look;
}

/** Waits until the server has the text that is on the screen. @throws where it does not come to that */
async function untilSaved({ now }: Work, save: () => Promise<void>): Promise<void> {
  const end = Date.now() + patience;
  while (isUnsaved(now())) {
    if (Date.now() > end)
      throw new Error(
        "Your last changes could not be saved on the server, so nothing was done. Try again once they are.",
      );
    await save();
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

/** The page file that is worked on: changed here at once, saved on the server, merged with what others do. */
export function useDraft(name: string): EditedDraft {
  const queries = useQueryClient();
  const server = useMemo(() => draftServer(name), [name]);
  // Each place that works on it asks anew: what another one asked for some time ago is not what is on its screen.
  const place = useId();
  const first = useQuery({
    queryKey: ["draft", name, place],
    queryFn: ({ signal }) => server.read(signal),
    staleTime: 0,
    gcTime: 0,
  });
  const [state, now, send] = useDraftState();
  const work: Work = { now, send, server };

  useEffect(() => {
    if (first.data) send({ do: "begin", answer: first.data });
  }, [first.data, send]);
  const save = useSaving(state, work);
  const doing = useRef<Doing>({ isUnderWay: false, wasHeard: false });
  const look = useOthers(name, work, doing);

  const write = useCallback((text: string, what: string) => send({ do: "write", text, what, at: Date.now() }), [send]);
  const edit = useCallback(
    (edits: readonly Edit[], what: string) => {
      try {
        write(editPageFile(now().text ?? "", edits), what);
        send({ do: "complain", complaint: null });
      } catch (error) {
        if (!(error instanceof CanNotEdit)) throw error;
        send({ do: "complain", complaint: error.message });
      }
    },
    [now, send, write],
  );

  /** Does something with the draft that the server has, once that is the one on the screen. */
  const once = async (run: () => Promise<void>): Promise<boolean> => {
    try {
      await untilSaved(work, save);
      doing.current = { isUnderWay: true, wasHeard: false };
      await run();
      send({ do: "complain", complaint: null });
      void askAnew(queries, "drafts");
      return true;
    } catch (error) {
      send({ do: "complain", complaint: error instanceof ApiProblem ? reason(error) : (error as Error).message });
      return false;
    } finally {
      doing.current.isUnderWay = false;
      if (doing.current.wasHeard) void look();
      doing.current.wasHeard = false;
    }
  };
  const took = async (answer: Promise<DraftAnswer>): Promise<void> => send({ do: "took", answer: await answer });

  return {
    text: state.text,
    kept: state.kept,
    answer: state.answer,
    error: first.error as ApiProblem | null,
    isSaving: isUnsaved(state),
    complaint: state.complaint,
    conflicts: state.conflicts,
    ended: state.ended,
    dismiss: () => send({ do: "dismiss" }),
    bringBack: () => {
      if (!now().isGone) return send({ do: "undo" });
      void once(async () => {
        if (now().isGone) await took(server.begin(now().text ?? ""));
      });
    },
    edit,
    write,
    undo: () => send({ do: "undo" }),
    redo: () => send({ do: "redo" }),
    undoes: state.past.at(-1)?.what ?? null,
    redoes: state.future.at(-1)?.what ?? null,
    bringIn: () => void once(() => took(server.bringIn())),
    publish: (everybody) => once(() => took(server.publish(now().revision, everybody))),
    discard: () =>
      void once(async () => {
        await server.discard(now().revision);
        send({ do: "replace", answer: await server.read(), what: "discard draft" });
      }),
    abandon: () => once(async () => void (await server.discard(now().revision))),
    settle: (conflict, mine) => send({ do: "settle", conflict, mine, at: Date.now() }),
    reload: () => void first.refetch(),
    note: () => void once(() => took(server.note())),
  };
}
