import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";
import { namesIn, type Schema } from "./names-in-schema.js";

interface Known {
  readonly name: string;
  readonly type: string;
}

/** The names that lead to a place in the text, by indentation and by braces in its own line; good enough to complete a name. */
function pathAt(context: CompletionContext): string[] {
  const { doc } = context.state;
  const here = doc.lineAt(context.pos);
  const before = here.text.slice(0, context.pos - here.from);
  const path: string[] = [];
  let indent = /^[\s-]*/.exec(before)?.[0].length ?? 0;
  for (let number = here.number - 1; number > 0 && indent > 0; number--) {
    const { text } = doc.line(number);
    const [, lead = "", name] = /^([\s-]*)([\w-]+):/.exec(text) ?? [];
    if (name !== undefined && lead.length < indent) {
      path.unshift(name);
      indent = lead.length;
    }
  }
  const [, own] = /^[\s-]*([\w-]+):\s/.exec(before) ?? [];
  if (own !== undefined) path.push(own);
  let depth = 0;
  const inner: string[] = [];
  for (const match of before.matchAll(/([\w-]+):\s*[{[]|[{[]|[}\]]/g)) {
    if (/[}\]]$/.test(match[0])) {
      depth -= 1;
      inner.length = Math.max(0, depth - 1);
    } else {
      depth += 1;
      if (match[1] !== undefined && match[1] !== own) inner.push(match[1]);
    }
  }
  // The name whose value is being typed in braces: `{ at: al`.
  const [, valued] = /[{,]\s*([\w-]+):\s+[^,{}[\]]*$/.exec(before) ?? [];
  return [...path, ...inner, ...(valued === undefined ? [] : [valued])];
}

/** Places of a page file where columns are named. */
const namesColumns = (path: readonly string[]): boolean => {
  const last = path.at(-1) ?? "";
  return (
    (path.length === 1 && ["fields", "set", "names"].includes(last)) ||
    ["columns", "search", "filter", "edit", "key", "sort", "at", "slug", "show"].includes(last)
  );
};

/** Completes what a page file knows at a place: settings by the schema, columns by the table. */
export function completeFile(
  context: CompletionContext,
  columns: readonly Known[],
  schema: Schema | undefined,
): CompletionResult | null {
  const word = context.matchBefore(/[\w-]+/);
  if (!word && !context.explicit) return null;
  const path = pathAt(context);
  const inField = path[0] === "fields" && path.length > 1;
  const schemaPath = inField ? ["fields", 0, ...path.slice(1)] : path;
  const options: Completion[] = namesColumns(path)
    ? columns.map(({ name, type }) => ({ label: name, detail: type, type: "property" }))
    : namesIn(schema, schemaPath).map((label) => ({ label, type: "keyword" }));
  return options.length > 0 ? { from: word?.from ?? context.pos, options, validFor: /^[\w-]*$/ } : null;
}
