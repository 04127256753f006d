import { textFormRule } from "./text-form.js";

/** An e-mail address as browsers judge it (HTML, 4.10.5.1.5). */
export const eMail = textFormRule({
  name: "e-mail",
  label: "E-mail address",
  words: "an e-mail address",
  means: "An e-mail address as browsers judge it (HTML, 4.10.5.1.5).",
  form: /^[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?(?:\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*$/,
  format: "email",
  attributes: { inputmode: "email" },
});
