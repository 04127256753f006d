/**
 * The catalogue of answers that are not the page itself: each has a status (RFC 9110, 15), a title and what to do.
 * Expected failures only; whatever is not listed here is a bug.
 */
export const codes = {
  "no-such-address": {
    status: 404,
    title: "There is no page at this address",
    advice: "Check the address, or start from the list of pages.",
  },
  "malformed-key": {
    status: 400,
    title: "The key in the address can't be right",
    advice: "Go to the list and choose the record there.",
  },
  "no-such-record": {
    status: 404,
    title: "No such record is open to you",
    advice:
      "It may have been deleted, its key may be misspelt, or it belongs to others. The list shows the records that are open to you.",
  },
  "record-gone": {
    status: 404,
    title: "This record is no longer there",
    advice: "It was deleted, or given to others, since you opened the form. Nothing was saved.",
  },
  "method-not-allowed": {
    status: 405,
    title: "This address does not take that method",
    advice: "Open the page in a browser and use its form.",
  },
  "may-not-open": {
    status: 403,
    title: "This page is not open to you",
    advice: "Ask the person who looks after this application, if you need it for your work.",
  },
  "may-not-edit": { status: 403, title: "This record can't be edited now", advice: "Nothing was changed." },
  "signed-out": {
    status: 401,
    title: "You are signed out",
    advice:
      "Sign in in another tab, come back to this one, and send the form again: your browser keeps what you typed.",
  },
  "form-not-yours": {
    status: 403,
    title: "This form was not made for you",
    advice: "Nothing was changed. Open the record again and enter your change there.",
  },
  "form-broken": {
    status: 400,
    title: "The form did not arrive as it was made",
    advice: "Nothing was changed. Open the record again and enter your change there.",
  },
  "body-too-large": {
    status: 413,
    title: "What was sent is too large",
    advice: "Nothing was changed. Shorten the longest text and send the form again.",
  },
  "wrong-content-type": {
    status: 415,
    title: "This kind of content can't be read here",
    advice: "Send the form as application/x-www-form-urlencoded, as a browser does.",
  },
  "database-away": {
    status: 503,
    title: "The database can't be reached just now",
    advice: "Nothing was changed. Try again in a minute.",
  },
  "page-unsound": {
    status: 503,
    title: "This page is out of service",
    advice: "Its page file does not fit the table. The workbench says where.",
  },
} as const satisfies Record<string, { status: number; title: string; advice: string }>;

export type Code = keyof typeof codes;
