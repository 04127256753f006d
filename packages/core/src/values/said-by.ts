/** What a developer's own code said by throwing: anything can be thrown, and is told in words. */
export function saidBy(thrown: unknown): string {
  if (typeof thrown === "string") return thrown;
  if (thrown === undefined || thrown === null) return `${thrown} was thrown`;
  const { message, name } = Object(thrown) as { readonly message?: unknown; readonly name?: unknown };
  for (const text of [message, name]) if (typeof text === "string" && text !== "") return text;
  // Of an object without more the text says nothing; one without a prototype has none.
  return typeof thrown === "object" && thrown !== null ? "an object without a message was thrown" : String(thrown);
}

/** What was thrown, as an error: Express takes some texts, and nothing at all, for a sign to go on. */
export const asError = (thrown: unknown): Error =>
  thrown instanceof Error ? thrown : new Error(saidBy(thrown), { cause: thrown });
