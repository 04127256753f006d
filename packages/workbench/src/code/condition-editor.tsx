import { autocompletion, completionKeymap } from "@codemirror/autocomplete";
import { history, historyKeymap, standardKeymap } from "@codemirror/commands";
import { forceLinting, linter } from "@codemirror/lint";
import { Compartment, EditorState } from "@codemirror/state";
import { EditorView, keymap, placeholder } from "@codemirror/view";
import { useEffect, useLayoutEffect, useRef } from "react";
import { useFocusRequest } from "../parts/focus-request.js";
import type { Editing } from "../sheet/editing/settings.js";
import { completeNames } from "./condition-names.js";
import { editorTheme } from "./editor-theme.js";
import { nameTypes } from "./name-types.js";
import { useOutsideText } from "./outside-text.js";

interface ConditionEditorProps {
  readonly id: string;
  readonly label: string;
  readonly focusName: string;
  readonly value: string;
  readonly example: string;
  readonly place: string;
  readonly names: Editing["names"];
  readonly problem: { readonly message: string; readonly offset: number } | null;
  readonly onChange: (value: string) => void;
  /** Where the cursor was in the plain control that this one takes the place of; null where it was elsewhere. */
  readonly takeCursor: () => number | null;
}

/** One line of CEL, with completion of names and their types. */
export default function ConditionEditor({
  id,
  label,
  focusName,
  value,
  example,
  place,
  names,
  problem,
  onChange,
  takeCursor,
}: ConditionEditorProps) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const latest = useRef({ names, problem });
  latest.current = { names, problem };
  const updated = useOutsideText(view, value, onChange);

  // Before anything is drawn, so that no key falls between the two.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the editor is made once; what changes comes by the effects below
  useLayoutEffect(() => {
    if (!host.current) return;
    const attributes = new Compartment();
    const made = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: value,
        extensions: [
          editorTheme,
          history(),
          placeholder(`For example: ${example}`),
          EditorView.lineWrapping,
          // A condition has one line: what is pasted in several becomes one.
          EditorState.transactionFilter.of((transaction) => (transaction.newDoc.lines > 1 ? [] : transaction)),
          autocompletion({ override: [completeNames(() => latest.current.names, place)], icons: false }),
          nameTypes(() => latest.current.names),
          linter(
            (editor) => {
              const found = latest.current.problem;
              if (!found || editor.state.doc.length === 0) return [];
              const from = Math.min(found.offset, editor.state.doc.length - 1);
              const word = /^[\w.]+/.exec(editor.state.sliceDoc(from))?.[0].length ?? 1;
              return [
                { from, to: Math.min(from + word, editor.state.doc.length), severity: "error", message: found.message },
              ];
            },
            { delay: 0 },
          ),
          keymap.of([...completionKeymap, ...historyKeymap, ...standardKeymap]),
          attributes.of(EditorView.contentAttributes.of({ id, "aria-label": label, spellcheck: "false" })),
          EditorView.updateListener.of(updated),
        ],
      }),
    });
    view.current = made;
    // Whoever types while this is loaded goes on typing here.
    const cursor = takeCursor();
    if (cursor !== null) {
      made.focus();
      made.dispatch({ selection: { anchor: Math.min(cursor, made.state.doc.length) } });
    }
    return () => made.destroy();
  }, []);

  // What stands there is selected as a whole: it is written over, or looked at.
  useFocusRequest(focusName, () => {
    view.current?.focus();
    view.current?.dispatch({ selection: { anchor: 0, head: view.current.state.doc.length } });
  });

  // biome-ignore lint/correctness/useExhaustiveDependencies: another problem is the occasion
  useEffect(() => {
    if (view.current) forceLinting(view.current);
  }, [problem]);

  return <div ref={host} />;
}
