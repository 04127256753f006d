import { CanNotEdit, editPageFile, editsFor, type MergeConflict, mergePageFiles } from "@loyal-quill/authoring";
import type { Edit } from "@loyal-quill/core";
import type { DraftAnswer } from "@loyal-quill/server/api";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { ApiProblem, ask } from "../api/client.js";
import { onDraft } from "../api/feed.js";

/** One step back: what the text was, what it became, and what was done. */
interface Done {
  readonly before: string;
  readonly after: string;
  readonly what: string;
  readonly at: number;
}

export interface DraftDesk {
  /** The text that is worked on; undefined until it is known. */
  readonly text: string | undefined;
  readonly answer: DraftAnswer | undefined;
  readonly error: ApiProblem | null;
  readonly isSaving: boolean;
  /** Why the last change could not be made, or be kept. */
  readonly complaint: string | null;
  readonly conflicts: readonly MergeConflict[];
  /** Changes the file; `what` says in a few words what is done, for undo. */
  readonly edit: (edits: readonly Edit[], what: string) => void;
  readonly write: (text: string, what: string) => void;
  readonly undo: () => void;
  readonly redo: () => void;
  readonly undoes: string | null;
  readonly redoes: string | null;
  readonly bringIn: () => void;
  readonly publish: () => Promise<boolean>;
  readonly discard: () => void;
  /** Takes away a draft of a page that is not served: nothing of it is left. */
  readonly abandon: () => Promise<boolean>;
  /** Puts one's own value in the place of somebody else's, or lets go of it. */
  readonly settle: (conflict: MergeConflict, mine: boolean) => void;
  readonly reload: () => void;
  /** The change of the table is known; the page stays as it is. */
  readonly note: () => void;
}

/** Changes of one kind that follow each other within this time are one step back, in milliseconds. */
const together = 1200;
/** What is typed is kept this long after the last key, in milliseconds. */
const calm = 250;

/** The page file that is worked on: changed here at once, kept on the server, merged with what others do. */
export function useDraft(name: string): DraftDesk {
  const queries = useQueryClient();
  const path = `/drafts/${encodeURIComponent(name)}`;
  const first = useQuery({
    queryKey: ["draft", name],
    queryFn: ({ signal }) => ask<DraftAnswer>(path, { signal }),
    staleTime: 0,
    gcTime: 0,
    refetchOnMount: "always",
  });
  const [text, setText] = useState<string>();
  const [answer, setAnswer] = useState<DraftAnswer>();
  const [isSaving, setSaving] = useState(false);
  const [complaint, setComplaint] = useState<string | null>(null);
  const [conflicts, setConflicts] = useState<readonly MergeConflict[]>([]);
  const [past, setPast] = useState<readonly Done[]>([]);
  const [future, setFuture] = useState<readonly Done[]>([]);
  /** The text now, and the one that the server is known to have: read in callbacks that outlive a rendering. */
  const now = useRef({ text: "", kept: "", revision: 0, busy: false });

  const show = useCallback((next: string) => {
    now.current.text = next;
    setText(next);
  }, []);

  /** Takes over what the server has, with what was changed here since `base`. */
  const take = useCallback(
    (given: DraftAnswer, base: string) => {
      const merged = mergePageFiles(base, now.current.text, given.text);
      now.current.kept = given.text;
      now.current.revision = given.revision;
      setAnswer(given);
      if (merged.text !== now.current.text) show(merged.text);
      const found = [...(given.conflicts ?? []), ...merged.conflicts];
      if (found.length > 0) setConflicts((before) => [...before, ...found]);
    },
    [show],
  );

  useEffect(() => {
    if (!first.data || text !== undefined) return;
    const { text: begun, revision } = first.data;
    now.current = { text: begun, kept: begun, revision, busy: false };
    setAnswer(first.data);
    setText(first.data.text);
  }, [first.data, text]);

  const save = useCallback(async () => {
    if (now.current.busy || now.current.text === now.current.kept) return;
    now.current.busy = true;
    setSaving(true);
    const [was, sent] = [now.current.kept, now.current.text];
    try {
      const given = await ask<DraftAnswer>(path, { method: "PUT", body: { was, text: sent } });
      take(given, sent);
      setComplaint(null);
    } catch (error) {
      const why = error instanceof ApiProblem ? error.title : String(error);
      setComplaint(`Not saved: ${why} Retrying.`);
    } finally {
      now.current.busy = false;
      setSaving(false);
    }
  }, [path, take]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: every new text, and the end of a save, is an occasion to keep it
  useEffect(() => {
    if (text === undefined || text === now.current.kept) return;
    const timer = setTimeout(() => void save(), complaint ? 3000 : calm);
    return () => clearTimeout(timer);
  }, [text, isSaving, complaint, save]);

  const look = useCallback(async () => {
    if (now.current.busy) return;
    try {
      const base = now.current.kept;
      const given = await ask<DraftAnswer>(path);
      if (!now.current.busy) take(given, base);
    } catch {
      // The feed or the next change asks again.
    }
  }, [path, take]);

  useEffect(
    () =>
      onDraft((event) => {
        if (event === null || event.page === name) void look();
      }),
    [name, look],
  );

  const write = useCallback(
    (next: string, what: string) => {
      const before = now.current.text;
      if (next === before) return;
      const at = Date.now();
      setPast((done) => {
        const last = done.at(-1);
        return last && last.what === what && at - last.at < together && last.after === before
          ? [...done.slice(0, -1), { ...last, after: next, at }]
          : [...done.slice(-199), { before, after: next, what, at }];
      });
      setFuture([]);
      show(next);
    },
    [show],
  );

  const edit = useCallback(
    (edits: readonly Edit[], what: string) => {
      try {
        write(editPageFile(now.current.text, edits), what);
        setComplaint(null);
      } catch (error) {
        if (!(error instanceof CanNotEdit)) throw error;
        setComplaint(error.message);
      }
    },
    [write],
  );

  /** Goes one step back or forth; what others changed meanwhile stays. */
  const step = (from: readonly Done[], back: boolean): Done | undefined => {
    const done = from.at(-1);
    if (!done) return undefined;
    const [base, wanted] = back ? [done.after, done.before] : [done.before, done.after];
    show(mergePageFiles(base, wanted, now.current.text).text);
    return done;
  };
  const undo = (): void => {
    const done = step(past, true);
    if (!done) return;
    setPast(past.slice(0, -1));
    setFuture([...future, done]);
  };
  const redo = (): void => {
    const done = step(future, false);
    if (!done) return;
    setFuture(future.slice(0, -1));
    setPast([...past, { ...done, at: 0 }]);
  };

  const said = async (run: () => Promise<void>): Promise<boolean> => {
    try {
      await run();
      setComplaint(null);
      void queries.invalidateQueries({ queryKey: ["pages"] });
      void queries.invalidateQueries({ queryKey: ["versions"] });
      return true;
    } catch (error) {
      setComplaint(error instanceof ApiProblem ? `${error.title}. ${error.message}` : String(error));
      return false;
    }
  };
  const settled = async (): Promise<void> => {
    for (let turn = 0; turn < 50 && (now.current.busy || now.current.text !== now.current.kept); turn++) {
      await save();
      await new Promise((resolve) => setTimeout(resolve, 20));
    }
  };
  return {
    text,
    answer,
    error: first.error as ApiProblem | null,
    isSaving: isSaving || (text !== undefined && text !== now.current.kept),
    complaint,
    conflicts,
    edit,
    write,
    undo,
    redo,
    undoes: past.at(-1)?.what ?? null,
    redoes: future.at(-1)?.what ?? null,
    bringIn: () =>
      void said(async () => {
        await settled();
        const base = now.current.kept;
        take(await ask<DraftAnswer>(`${path}/bring-in`, { method: "POST", body: {} }), base);
      }),
    publish: () =>
      said(async () => {
        await settled();
        const { kept, revision } = now.current;
        take(await ask<DraftAnswer>(`${path}/publish`, { method: "POST", body: { revision } }), kept);
      }),
    discard: () =>
      void said(async () => {
        await settled();
        const before = now.current.text;
        await ask(path, { method: "DELETE", body: { revision: now.current.revision } });
        const given = await ask<DraftAnswer>(path);
        now.current.kept = given.text;
        now.current.revision = given.revision;
        setAnswer(given);
        show(given.text);
        setPast((done) => [...done, { before, after: given.text, what: "discard the draft", at: 0 }]);
      }),
    abandon: () =>
      said(async () => {
        await settled();
        await ask(path, { method: "DELETE", body: { revision: now.current.revision } });
      }),
    settle: (conflict, mine) => {
      setConflicts((before) => before.filter((each) => each !== conflict));
      if (!mine) return;
      if (conflict.path.length === 0) write(String(conflict.mine), "take one's own text");
      else edit(editsFor({ ...conflict, after: conflict.mine }, now.current.text), "take one's own value");
    },
    reload: () => void first.refetch(),
    note: () =>
      void said(async () => {
        const { kept } = now.current;
        take(await ask<DraftAnswer>(`${path}/note`, { method: "POST", body: {} }), kept);
      }),
  };
}
