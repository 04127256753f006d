import { html, type Language, type Markup } from "@loyal-quill/core";
import type { Account } from "../store/entities.js";
import { type ServerWord, say } from "../words.js";
import { enrolment } from "./factor.js";
import { formField, hidden } from "./form.js";
import { passwordLength } from "./passwords.js";
import type { SessionSummary } from "./sign-ins.js";

/** What the page says beside what there is: what was done, and what is wrong in which field. */
export interface Said {
  readonly status?: number;
  readonly done?: ServerWord;
  readonly alert?: ServerWord;
  readonly problems?: Readonly<Record<string, ServerWord>>;
  /** A secret that is being set up, and codes that are shown this once. */
  readonly secret?: string;
  readonly codes?: readonly string[];
}

const lengths = { least: passwordLength.least, most: passwordLength.most };

/** What the parts of the page are written from. */
export interface AccountView {
  readonly language: Language;
  readonly said: Said;
  /** The hidden controls of every form. */
  readonly around: Markup;
  readonly account: Account;
  readonly application: string;
  /** Roles that need a second factor. */
  readonly factorRoles: readonly string[];
  /** A new secret, sealed for the form that brings it back. */
  readonly lock: (secret: string) => string;
}

/** The form of a new password. */
export function passwordForm({ language, said, around, account }: AccountView): Markup {
  const problem = (name: string): string | null => {
    const code = said.problems?.[name];
    return code === undefined ? null : say(language, code, lengths);
  };
  const fields = [
    formField({
      name: "current",
      label: say(language, "current-password"),
      type: "password",
      autocomplete: "current-password",
      problem: problem("current"),
    }),
    formField({
      name: "password",
      label: say(language, "new-password"),
      type: "password",
      autocomplete: "new-password",
      hint: say(language, "password-hint", lengths),
      problem: problem("password"),
    }),
    formField({
      name: "again",
      label: say(language, "new-password-again"),
      type: "password",
      autocomplete: "new-password",
      problem: problem("again"),
    }),
  ];
  return html`<h2>${say(language, "change-password")}</h2><form class="quill-sheet" method="post" action="/my-account/password">${around}<input type="text" name="username" autocomplete="username" value="${account.email}" hidden>${fields}<p class="quill-actions"><button>${say(language, "change-password")}</button></p></form>`;
}

/** The second factor: off, being set up, or on. */
export function factorPart(view: AccountView): Markup {
  const { language, said, around, account } = view;
  const heading = html`<h2 id="second-factor">${say(language, "second-factor")}</h2>`;
  if (said.codes)
    return html`${heading}<p>${say(language, "factor-kept")}</p><ul class="quill-codes">${said.codes.map((code) => html`<li><code>${code}</code></li>`)}</ul>`;
  if (said.secret !== undefined) {
    const { picture } = enrolment(said.secret, view.application, account.email);
    const problem = said.problems?.code;
    const field = formField({
      name: "code",
      label: say(language, "factor-code"),
      type: "text",
      autocomplete: "one-time-code",
      problem: problem ? say(language, problem) : null,
    });
    return html`${heading}<p>${say(language, "factor-scan")}</p><p><img class="quill-qr" src="${picture}" alt="${say(language, "factor-picture")}" width="200" height="200"></p><dl class="quill-key"><div><dt>${say(language, "factor-secret")}</dt><dd>${said.secret.replaceAll(/(.{4})(?=.)/g, "$1 ")}</dd></div></dl>
<form class="quill-sheet" method="post" action="/my-account/second-factor/on">${around}${hidden("secret", view.lock(said.secret))}${field}<p class="quill-actions"><button>${say(language, "go-on")}</button></p></form>`;
  }
  const confirm = formField({
    name: "factor-password",
    label: say(language, "current-password"),
    type: "password",
    autocomplete: "current-password",
    problem: said.problems?.["factor-password"] ? say(language, said.problems["factor-password"]) : null,
  });
  if (account.totpSecret === null)
    return html`${heading}<p>${say(language, "factor-off")}</p><form class="quill-sheet" method="post" action="/my-account/second-factor">${around}${confirm}<p class="quill-actions"><button>${say(language, "factor-turn-on")}</button></p></form>`;
  const isNeeded = account.roles.some((role) => view.factorRoles.includes(role));
  const left = html`<p>${say(language, "factor-on", { count: account.recovery?.length ?? 0 })}</p>`;
  const actions = html`<form class="quill-sheet" method="post" action="/my-account/second-factor/codes">${around}${confirm}<p class="quill-actions"><button>${say(language, "new-recovery")}</button>${!isNeeded && html`<button class="quill-plain" formaction="/my-account/second-factor/off">${say(language, "factor-turn-off")}</button>`}</p></form>`;
  return html`${heading}${left}${actions}${isNeeded && html`<p>${say(language, "factor-needed")}</p>`}`;
}

/** A person's sessions, here and elsewhere. */
export function sessionsPart({ language, around }: AccountView, list: readonly SessionSummary[], own: string): Markup {
  const format = new Intl.DateTimeFormat(language, { dateStyle: "medium", timeStyle: "short", timeZone: "UTC" });
  const time = (moment: Date): string => `${format.format(moment)} UTC`;
  const rows = list.map(
    ({ id, since, used, address, agent }) =>
      html`<li><p>${address}${id === own && html` <strong>${say(language, "this-session")}</strong>`}<br><span>${say(language, "session-since", { time: time(since) })}, ${say(language, "session-used", { time: time(used) })}</span><br><span>${agent}</span></p>${id !== own && html`<form method="post" action="/my-account/sessions/end">${around}${hidden("id", id)}<button class="quill-plain">${say(language, "end-session")}<span class="quill-unseen"> ${address}, ${time(since)}</span></button></form>`}</li>`,
  );
  const others =
    list.some(({ id }) => id !== own) &&
    html`<form method="post" action="/my-account/sessions/end-others">${around}<p class="quill-actions"><button>${say(language, "end-others")}</button></p></form>`;
  return html`<h2>${say(language, "sessions")}</h2><ul class="quill-sessions">${rows}</ul>${others}`;
}
