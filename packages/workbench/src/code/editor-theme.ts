import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import type { Extension } from "@codemirror/state";
import { EditorView } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { theme } from "../theme.js";

const nonce = document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]')?.nonce ?? "";

/** Ink on the desk: names and values differ by weight and tone, so nothing hangs on colour alone. */
const ink = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: theme.ink, fontWeight: "700" },
  { tag: [tags.comment, tags.lineComment], color: theme.soft, fontStyle: "italic" },
  { tag: [tags.string, tags.content], color: theme.ink },
  { tag: [tags.punctuation, tags.separator, tags.squareBracket, tags.brace], color: theme.soft },
]);

/** What every editor of the workbench has: its colours, and the nonce that its styles need (CSP Level 3, 6.7.3). */
export const editorTheme: Extension = [
  EditorView.cspNonce.of(nonce),
  syntaxHighlighting(ink),
  EditorView.theme({
    "&": { color: theme.ink, backgroundColor: theme.leaf, border: `1px solid ${theme.edge}` },
    "&.cm-focused": { outline: `2px solid ${theme.verdigris}`, outlineOffset: "1px" },
    ".cm-scroller": { fontFamily: theme.wire, fontSize: "0.8125rem", lineHeight: "1.5" },
    ".cm-content": { caretColor: theme.ink, padding: "2px 0" },
    ".cm-line": { padding: "0 6px" },
    ".cm-cursor": { borderLeftColor: theme.ink },
    "&.cm-focused .cm-selectionBackground, .cm-selectionBackground, ::selection": {
      backgroundColor: `${theme.wash} !important`,
    },
    ".cm-gutters": { backgroundColor: theme.paper, color: theme.soft, borderRight: `1px solid ${theme.rule}` },
    ".cm-activeLine, .cm-activeLineGutter": { backgroundColor: "transparent" },
    ".cm-tooltip": { backgroundColor: theme.leaf, color: theme.ink, border: `1px solid ${theme.edge}` },
    ".cm-tooltip-autocomplete > ul": { fontFamily: theme.wire, fontSize: "0.8125rem" },
    ".cm-tooltip-autocomplete > ul > li[aria-selected]": {
      backgroundColor: theme.wash,
      color: theme.ink,
      outline: `2px solid ${theme.verdigris}`,
      outlineOffset: "-2px",
    },
    ".cm-completionDetail": { color: theme.soft, fontStyle: "normal", marginLeft: "1rem" },
    ".cm-tooltip-hover": { padding: "2px 8px", fontFamily: theme.wire, fontSize: "0.8125rem" },
    ".cm-lintRange-error": { backgroundImage: "none", borderBottom: `2px solid ${theme.minium}` },
    ".cm-lintRange-warning": { backgroundImage: "none", borderBottom: `2px dotted ${theme.ochre}` },
    ".cm-diagnostic": { borderLeft: `3px solid ${theme.rule}`, fontFamily: theme.speech },
    ".cm-diagnostic-error": { borderLeftColor: theme.minium },
    ".cm-diagnostic-warning": { borderLeftColor: theme.ochre },
    ".cm-placeholder": { color: theme.soft },
  }),
];
