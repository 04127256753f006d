import type { Column } from "./model.js";

/** Names of columns that look like secrets, as a word of the name or all of it. */
const secretName =
  /(^|_)(password|passwd|passphrase|pwd|secret|token|api_?key|private_?key|access_?key|credential|credentials|pin|otp|totp|salt|hash|iban|cvv|ssn)s?(_|$)/i;

/** Whether a column looks like a secret by its name and type: then its values are told to nobody unless the page says otherwise. */
export const looksSecret = ({ name, type }: Pick<Column, "name" | "type">): boolean =>
  (type.kind === "text" || type.kind === "json" || type.kind === "uuid" || type.cast === "bytea") &&
  secretName.test(name);
