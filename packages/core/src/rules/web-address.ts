import { textFormRule } from "./text-form.js";

/** An absolute address of the web with a host (RFC 3986, 3): no white space, no user name. */
export const webAddress = textFormRule({
  name: "web-address",
  label: "Web address",
  words: "a web address",
  means: "An address that begins with http:// or https:// and names a host (RFC 3986, 3).",
  form: /^https?:\/\/[^\s/?#@\\]+\.?(?:[/?#]\S*)?$/i,
  format: "uri",
  attributes: { inputmode: "url" },
});
