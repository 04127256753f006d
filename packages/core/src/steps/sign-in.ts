/**
 * The address of a sign-in, with the address to come back to as `next`.
 *
 * @param signIn may have a query and a fragment of its own
 */
export function signInTo(signIn: string, next: string): string {
  const [, before = "", fragment = ""] = /^([^#]*)(.*)$/s.exec(signIn) ?? [];
  return `${before}${before.includes("?") ? "&" : "?"}next=${encodeURIComponent(next)}${fragment}`;
}
