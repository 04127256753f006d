import { editPageFile, editsFor, type MergeConflict, mergePageFiles } from "@loyal-quill/authoring";
import type { DraftAnswer } from "@loyal-quill/server/api";

/** One step back: what the text was, what it became, and what was done. */
export interface Done {
  readonly before: string;
  readonly after: string;
  readonly what: string;
  /** When, in milliseconds: changes of one kind that follow each other soon are one step. */
  readonly at: number;
}

/** How somebody else ended a draft, or a page that had none: by removing its file. */
export interface Ended {
  readonly how: "published" | "discarded" | "removed";
  /** Null where it was heard of before who it was. */
  readonly by: string | null;
}

/** A page file that is worked on: as it is here, and as the server is known to have it. */
export interface DraftState {
  /** The text that is worked on; undefined until it is known. */
  readonly text: string | undefined;
  /** What the server is known to have, and its revision. */
  readonly kept: string;
  readonly revision: number;
  readonly answer: DraftAnswer | undefined;
  /** The text that is on its way to the server; null where nothing is. */
  readonly sending: string | null;
  /** The text that was sent without an answer: the server may have it or not, until it is asked what it has. */
  readonly doubtful: string | null;
  /** How often something did not arrive: each time is an occasion to try again. */
  readonly failures: number;
  /** Why the last change could not be made, or not be saved. */
  readonly complaint: string | null;
  readonly conflicts: readonly MergeConflict[];
  /** What somebody else has done to the draft, of which there is none any more; null where that is seen. */
  readonly ended: Ended | null;
  /** Whether the server has nothing of the page any more, neither a draft nor a file: what is saved next begins it anew. */
  readonly isGone: boolean;
  readonly past: readonly Done[];
  readonly future: readonly Done[];
}

export type DraftAction =
  /** The draft was read for the first time. */
  | { readonly do: "begin"; readonly answer: DraftAnswer }
  /** Somebody changed the text here. */
  | { readonly do: "write"; readonly text: string; readonly what: string; readonly at: number }
  | { readonly do: "undo" }
  | { readonly do: "redo" }
  /** The text goes to the server; not before it is known whether the last one arrived. */
  | { readonly do: "send" }
  /** The server has taken it, and answers what it has now. */
  | { readonly do: "sent"; readonly answer: DraftAnswer }
  /** It did not arrive, or its answer did not. */
  | { readonly do: "not sent"; readonly why: string }
  /** The server has something new, since others changed it: who, if that is known; `kept` is what it was known to have when it was asked. */
  | { readonly do: "hear"; readonly answer: DraftAnswer; readonly kept: string; readonly by?: string }
  /** The server has done what was asked of it: published the draft, or brought a file in. */
  | { readonly do: "took"; readonly answer: DraftAnswer }
  /** The server has another text in the place of this one: a draft was discarded. */
  | { readonly do: "replace"; readonly answer: DraftAnswer; readonly what: string }
  /** One's own value in the place of somebody else's, or theirs kept. */
  | { readonly do: "settle"; readonly conflict: MergeConflict; readonly mine: boolean; readonly at: number }
  | { readonly do: "complain"; readonly complaint: string | null }
  /** The server has neither a draft nor a file: somebody else has discarded the draft of a page that was never published, or removed its file. */
  | { readonly do: "gone"; readonly by?: string }
  /** What somebody else has done to the draft was seen. */
  | { readonly do: "dismiss" };

export const noDraft: DraftState = {
  text: undefined,
  kept: "",
  revision: 0,
  answer: undefined,
  sending: null,
  doubtful: null,
  failures: 0,
  complaint: null,
  conflicts: [],
  ended: null,
  isGone: false,
  past: [],
  future: [],
};

/** Changes of one kind that follow each other within this time are one step back, in milliseconds. */
const together = 1200;

/** Steps back that are kept. */
const mostSteps = 200;

/** Whether there is anything that the server does not have yet, or may not have. */
export const isUnsaved = ({ text, kept, sending, doubtful }: DraftState): boolean =>
  sending !== null || doubtful !== null || (text !== undefined && text !== kept);

/**
 * What the text here was made from, as far as an answer tells. Where all that was sent without an answer is in it, it arrived:
 * taken for somebody else's, it would be in conflict with what was typed after it.
 */
function baseOf({ kept, doubtful }: DraftState, answer: DraftAnswer): string {
  if (doubtful === null) return kept;
  const again = mergePageFiles(kept, doubtful, answer.text);
  return again.text === answer.text && again.conflicts.length === 0 ? doubtful : kept;
}

/** Takes over what the server has, with what was changed here since `base`. */
function take(state: DraftState, answer: DraftAnswer, base: string): DraftState {
  const merged = mergePageFiles(base, state.text ?? base, answer.text);
  const found = [...(answer.conflicts ?? []), ...merged.conflicts];
  return {
    ...state,
    text: merged.text,
    kept: answer.text,
    revision: answer.revision,
    answer,
    conflicts: found.length > 0 ? [...state.conflicts, ...found] : state.conflicts,
  };
}

/** Takes over what others have done; a draft that they have discarded can be had back by a step back. */
function hear(state: DraftState, { answer, by }: { readonly answer: DraftAnswer; readonly by?: string }): DraftState {
  const next = take(state, answer, baseOf(state, answer));
  if (answer.revision > 0) return { ...next, ended: null };
  if ((state.answer?.revision ?? 0) === 0)
    return by !== undefined && state.ended?.by === null ? { ...next, ended: { ...state.ended, by } } : next;
  const how: Ended["how"] = answer.published === state.answer?.published ? "discarded" : "published";
  const ended = { how, by: by ?? null };
  if (how === "published") return { ...next, ended };
  const done = { before: state.text ?? "", after: next.text ?? "", what: "discard draft", at: 0 };
  return { ...next, ended, past: [...state.past, done], future: [] };
}

function write(state: DraftState, text: string, what: string, at: number): DraftState {
  const before = state.text ?? "";
  if (text === before) return state;
  const last = state.past.at(-1);
  const goesOn = last && last.what === what && at - last.at < together && last.after === before;
  const past = goesOn
    ? [...state.past.slice(0, -1), { ...last, after: text, at }]
    : [...state.past.slice(1 - mostSteps), { before, after: text, what, at }];
  return { ...state, text, past, future: [], ended: null };
}

/** Goes one step back or forth; what others changed meanwhile stays. */
function step(state: DraftState, back: boolean): DraftState {
  const done = (back ? state.past : state.future).at(-1);
  if (!done) return state;
  const [base, wanted] = back ? [done.after, done.before] : [done.before, done.after];
  const { text } = mergePageFiles(base, wanted, state.text ?? base);
  return back
    ? { ...state, text, past: state.past.slice(0, -1), future: [...state.future, done], ended: null }
    : { ...state, text, future: state.future.slice(0, -1), past: [...state.past, { ...done, at: 0 }], ended: null };
}

function settle(state: DraftState, conflict: MergeConflict, mine: boolean, at: number): DraftState {
  const left = { ...state, conflicts: state.conflicts.filter((each) => each !== conflict) };
  if (!mine) return left;
  if (conflict.path.length === 0) return write(left, String(conflict.mine), "use own text", at);
  const edits = editsFor({ ...conflict, after: conflict.mine }, state.text ?? "");
  return write(left, editPageFile(state.text ?? "", edits), "use own value", at);
}

/** What becomes of a draft by one thing that happens: the same thing in the same state always makes the same. */
export function reduceDraft(state: DraftState, action: DraftAction): DraftState {
  switch (action.do) {
    case "begin": {
      const { text, revision } = action.answer;
      return state.text === undefined ? { ...state, text, kept: text, revision, answer: action.answer } : state;
    }
    case "write":
      return write(state, action.text, action.what, action.at);
    case "undo":
      return step(state, true);
    case "redo":
      return step(state, false);
    case "send":
      return state.sending === null && state.doubtful === null && state.text !== undefined
        ? { ...state, sending: state.text }
        : state;
    case "sent":
      return {
        ...take(state, action.answer, state.sending ?? state.kept),
        sending: null,
        complaint: null,
        ended: state.isGone ? null : state.ended,
        isGone: false,
      };
    case "not sent":
      return {
        ...state,
        sending: null,
        doubtful: state.sending ?? state.doubtful,
        failures: state.failures + 1,
        complaint: action.why,
      };
    case "hear":
      // While something is on its way its answer will say the same, and more; taken now, one's own change would look like another's.
      // And what was asked before something arrived there is no news any more: taken now, it would take that back.
      return state.sending === null && state.kept === action.kept
        ? {
            ...hear(state, action),
            doubtful: null,
            isGone: false,
            complaint: state.doubtful === null ? state.complaint : null,
          }
        : state;
    case "took":
      return { ...take(state, action.answer, state.kept), ended: null, isGone: false };
    case "gone":
      return state.answer === undefined || (state.isGone && state.ended?.by !== null)
        ? state
        : {
            ...state,
            isGone: true,
            answer: { ...state.answer, revision: 0, published: null },
            revision: 0,
            // What is on the screen is all that there is of it.
            kept: state.isGone ? state.kept : (state.text ?? ""),
            doubtful: null,
            complaint: null,
            ended: state.isGone
              ? { how: state.ended?.how ?? "discarded", by: action.by ?? null }
              : { how: state.answer.published === null ? "discarded" : "removed", by: action.by ?? null },
          };
    case "dismiss":
      return { ...state, ended: null };
    case "replace": {
      const { text, revision } = action.answer;
      const done = { before: state.text ?? "", after: text, what: action.what, at: 0 };
      return {
        ...state,
        text,
        kept: text,
        revision,
        doubtful: null,
        answer: action.answer,
        ended: null,
        // It may have been heard of already.
        past: done.before === text ? state.past : [...state.past, done],
        future: [],
      };
    }
    case "settle":
      return settle(state, action.conflict, action.mine, action.at);
    case "complain":
      return { ...state, complaint: action.complaint };
  }
}
