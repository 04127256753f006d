/** The documents that the workbench shows, by their names in `docs/`. */
export const documents: Readonly<Record<string, string>> = {
  "page-file": "Page files",
  settings: "Settings",
  rules: "Rules",
  conditions: "Conditions and values",
  findings: "Findings of the review",
  adopting: "Forms taken in",
  exporting: "Pages as plain code",
  rehearsal: "Rehearsal",
  "saving-does-not-work": "“Saving doesn’t work”",
  log: "The change log",
  api: "The pages as an API",
  mounting: "In your own application",
  deploying: "Deploying",
  scaling: "Scaling",
  security: "Security",
  reliability: "Reliability",
};

/** The document about what is at a place of the workbench. */
export function documentOf(path: string): string {
  if (/^\/pages\/[^/]+\/(rehearsal|replay)/.test(path)) return "rehearsal";
  if (path.startsWith("/import-form")) return "adopting";
  if (path.startsWith("/requests")) return "saving-does-not-work";
  if (path.startsWith("/changes") || path.startsWith("/trail")) return "log";
  if (path.startsWith("/people")) return "deploying";
  return "page-file";
}

/** Keys, and what they do. */
type Shortcuts = readonly (readonly [keys: string, does: string])[];

const everywhere: Shortcuts = [
  ["Ctrl+K", "Go to a page, a table, a person or a command"],
  ["?", "Keyboard shortcuts of this place"],
];

const sheet: Shortcuts = [
  ["Ctrl+Z, Ctrl+Shift+Z", "Undo, redo"],
  ["Alt+Page Up, Alt+Page Down", "Previous, next record"],
  ["Arrow keys in the table", "Previous, next field"],
  ["Shift and arrow keys", "Select several fields"],
  ["Alt and arrow keys", "Move the selected fields"],
  ["Delete", "Remove the selected fields from the page"],
  ["Escape", "Close what is edited"],
  ["Alt+Backspace in a setting", "Reset it"],
  ["Alt+R", "Apply the first repair of the review"],
];

/** The keyboard shortcuts at a place of the workbench. */
export const shortcutsOf = (path: string): Shortcuts =>
  /^\/pages\/[^/]+$/.test(path) ? [...sheet, ...everywhere] : everywhere;
