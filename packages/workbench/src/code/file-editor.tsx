import {
  autocompletion,
  type CompletionContext,
  type CompletionResult,
  completionKeymap,
} from "@codemirror/autocomplete";
import { defaultKeymap, indentWithTab } from "@codemirror/commands";
import { yaml } from "@codemirror/lang-yaml";
import { type Diagnostic, lintKeymap, setDiagnostics } from "@codemirror/lint";
import { EditorState } from "@codemirror/state";
import { EditorView, keymap, lineNumbers } from "@codemirror/view";
import type { Finding } from "@loyal-quill/core";
import type { SheetField } from "@loyal-quill/server/api";
import { useEffect, useRef } from "react";
import { usePageFile } from "../api/queries.js";
import { completeFile, type FileNames } from "./complete-file.js";
import { editorTheme } from "./editor-theme.js";
import type { Schema } from "./names-in-schema.js";
import { useOutsideText } from "./outside-text.js";

interface FileEditorProps {
  readonly text: string;
  readonly findings: readonly Finding[];
  readonly fields: readonly Pick<SheetField, "name" | "type" | "shows">[];
  readonly onChange: (text: string) => void;
}

/** Findings at their places in a text; one beyond its end is of an earlier text. */
const diagnosticsIn = ({ doc }: EditorState, findings: readonly Finding[]): Diagnostic[] =>
  findings.flatMap((finding) => {
    if (finding.line > doc.lines) return [];
    const line = doc.line(finding.line);
    const from = Math.min(line.from + finding.column - 1, line.to);
    const word = /^[^\s,}\]]+/.exec(doc.sliceString(from, line.to))?.[0].length ?? 0;
    return [{ from, to: Math.max(from, from + word), severity: finding.severity, message: finding.message }];
  });

/** Page file, with what was found in it at its place. Undo is the draft's: one history for text and settings. */
export default function FileEditor({ text, findings, fields, onChange }: FileEditorProps) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const { data } = usePageFile();
  const schema = data?.schema as Schema | undefined;
  const names: FileNames = {
    columns: fields,
    settings: data?.settings ?? { page: [], field: [] },
    shown: (field) => fields.find(({ name }) => name === field)?.shows ?? [],
  };
  const latest = useRef({ names, schema });
  latest.current = { names, schema };
  const updated = useOutsideText(view, text, onChange);

  // biome-ignore lint/correctness/useExhaustiveDependencies: the editor is made once; what changes comes by the effects below
  useEffect(() => {
    if (!host.current) return;
    const complete = (context: CompletionContext): CompletionResult | null =>
      completeFile(context, latest.current.names, latest.current.schema);
    const made = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: text,
        extensions: [
          editorTheme,
          lineNumbers(),
          yaml(),
          EditorView.lineWrapping,
          EditorState.tabSize.of(2),
          autocompletion({ override: [complete], icons: false }),
          // Escape, then Tab, leaves the editor (WCAG 2.2, 2.1.2).
          keymap.of([
            ...completionKeymap,
            ...lintKeymap,
            ...defaultKeymap.filter((binding) => binding.key !== "Mod-z"),
            indentWithTab,
          ]),
          EditorView.contentAttributes.of({
            "aria-label": "Page file",
            spellcheck: "false",
            tabindex: "0",
          }),
          EditorView.updateListener.of(updated),
        ],
      }),
    });
    view.current = made;
    return () => made.destroy();
  }, []);

  useEffect(() => {
    // Set rather than asked for: a linter that was run for the text already is not run again for findings that come later.
    const editor = view.current;
    editor?.dispatch(setDiagnostics(editor.state, diagnosticsIn(editor.state, findings)));
  }, [findings]);

  return <div ref={host} />;
}
