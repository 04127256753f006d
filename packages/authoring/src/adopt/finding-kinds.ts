/** What is wrong with a form that somebody has written: by code, with what it means and what to do. */
export const formFindingKinds = {
  "form-not-found": {
    level: "error",
    means: "No form of the page has a control for any column of the table.",
    remedy: "Name the page with the form, the table and the record that it shows.",
  },
  "get-for-a-change": {
    level: "error",
    means:
      "The form is sent by GET: what it changes can be changed by a link, and its values stand in addresses and logs.",
    remedy: 'Write method="post".',
  },
  "no-token": {
    level: "warning",
    means: "Nothing in the form proves that it was made for this person: another site can send it in their name.",
    remedy: "Put a token of the session into a hidden control, and refuse forms without it.",
  },
  "no-key": {
    level: "error",
    means:
      "Neither the form's address nor a control names the record, so that its handler can't know which one to change.",
    remedy: "Put the key into the form's address.",
  },
  "key-can-be-typed": {
    level: "error",
    means: "The key stands in a control that can be typed over: another record is changed then.",
    remedy: "Put the key into the form's address, and show it as text.",
  },
  "placeholder-for-value": {
    level: "error",
    means: "What is stored stands as the placeholder: the control is empty, and saves that.",
    remedy: "Write it as the value.",
  },
  "value-missing": {
    level: "error",
    means: "The control is empty though something is stored: a save loses it.",
    remedy: "Write what is stored as the value, in the notation that the control takes.",
  },
  "choice-not-selected": {
    level: "error",
    means: "The stored choice is not selected: the first one is saved in its place.",
    remedy: "Mark the stored option as selected.",
  },
  "choice-not-offered": {
    level: "error",
    means: "The stored value is not among the choices, so that a save changes it.",
    remedy: "Offer the stored value, too.",
  },
  "box-not-ticked": {
    level: "error",
    means: "The box does not show what is stored.",
    remedy: "Write checked where the value is true, and nowhere else.",
  },
  "white-space-differs": {
    level: "error",
    means: "White space differs from what is stored, so that an untouched save changes it.",
    remedy: "Write the value as it is, in a text area after a line break, and trim nothing.",
  },
  "value-cut": {
    level: "error",
    means: "The end of the stored value is missing, or digits of it: an untouched save stores less.",
    remedy: "Write the whole value.",
  },
  "time-shifted": {
    level: "error",
    means: "It shows another day or time than is stored: an untouched save moves it.",
    remedy: "Format dates without a time zone, and moments in the one that the handler reads them in.",
  },
  "not-escaped": {
    level: "error",
    means:
      "The value is written into the page without its signs of markup escaped, or escaped twice: what people store can change the page.",
    remedy: "Escape &, <, > and quotes once where the value is written.",
  },
  "value-differs": {
    level: "error",
    means: "It shows something else than is stored.",
    remedy: "Write what is stored in this column.",
  },
  "unknown-name": {
    level: "warning",
    means: "No column was found for the control.",
    remedy: "Correct its name, or take the control out.",
  },
  "name-twice": {
    level: "error",
    means: "Two controls have one name, so that it depends on the handler which of them counts.",
    remedy: "Give each a name of its own.",
  },
  "stored-value-refused": {
    level: "warning",
    means: "The control does not take what is stored: a browser lets nothing be saved until that is changed.",
    remedy: "Let it take what the table holds, or correct the stored value first.",
  },
  "no-label": {
    level: "warning",
    means: "The control has no label that a screen reader could say (WCAG 2.2, 3.3.2 and 4.1.2).",
    remedy: "Give it a label with for, or put it into one.",
  },
  "sql-from-text": {
    level: "error",
    means: "A statement is put together from what a request brings (SQL injection, CWE-89).",
    remedy: "Send values as parameters; take names of columns from a list of your own.",
  },
  "no-where": {
    level: "error",
    means: "A statement changes every record of its table.",
    remedy: "Write WHERE with the key.",
  },
  "where-by-no-key": {
    level: "error",
    means: "A statement finds its record by columns that are no key.",
    remedy: "Write WHERE with the key.",
  },
  "columns-from-body": {
    level: "error",
    means: "All that a body brings is written (mass assignment, CWE-915).",
    remedy: "Read the form's fields by their names, and write those.",
  },
  "rows-not-looked-at": {
    level: "error",
    means: "Nobody looks at whether a record was changed: one that is gone, or another's by now, is told as saved.",
    remedy: "Look at rowCount, or at what RETURNING answers, and say where there was none.",
  },
  "answer-before-write": {
    level: "error",
    means: "It is answered before the statement has ended.",
    remedy: "Wait for it with await, and answer then.",
  },
  "browser-judges-alone": {
    level: "error",
    means: "What the form demands is judged by the browser only, which whoever sends a request need not have.",
    remedy: "Judge every value on the server, and show the form again with what was typed.",
  },
  "typed-is-lost": {
    level: "warning",
    means: "A refusal leads away from the form, so that what was typed and what is wrong with it are lost.",
    remedy: "Show the form again (422) with what was typed and a message at each field.",
  },
  "box-cannot-be-switched-off": {
    level: "error",
    means: "A box that is not ticked sends nothing, and its handler does not take that for false.",
    remedy: "Put a hidden control with the value false before the box, or take a missing value for false.",
  },
  "token-not-checked": {
    level: "error",
    means: "The form sends a token that its handler does not look at.",
    remedy: "Compare it with the session's, in constant time, before anything is written.",
  },
  "not-read": {
    level: "error",
    means: "The handler does not read a control of the form.",
    remedy: "Read it, or take the control out.",
  },
  "not-sent": {
    level: "warning",
    means: "The handler reads what the form does not send.",
    remedy: "Correct the name, or put the control into the form.",
  },
} as const satisfies Readonly<Record<string, { level: "error" | "warning"; means: string; remedy: string }>>;

export type FormFindingCode = keyof typeof formFindingKinds;
