// Where Node.js finds what tests import: our packages' source in the place of what was built of them, and `@jest/globals`.
export async function resolve(specifier, context, next) {
  if (specifier === "@jest/globals") return { url: new URL("./globals.mjs", import.meta.url).href, shortCircuit: true };
  return next(specifier, { ...context, conditions: [...context.conditions, "quill-source"] });
}
