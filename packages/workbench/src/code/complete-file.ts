import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";
import type { PageFileAnswer } from "@loyal-quill/server/api";
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

/** The setting at a place of a page file, and what follows it there. */
function settingAt(path: readonly string[], settings: FileNames["settings"]) {
  const isField = path[0] === "fields" && path.length > 2;
  const own = isField ? path.slice(2) : path;
  const found = (isField ? settings.field : settings.page)
    .filter((setting) => setting.path.every((name, index) => name === own[index]))
    .toSorted((a, b) => b.path.length - a.path.length)[0];
  return found && { found, inside: own.slice(found.path.length), field: isField ? path[1] : undefined };
}

/** What is known of a page for its file's names. */
export interface FileNames {
  readonly columns: readonly Known[];
  readonly settings: PageFileAnswer["settings"];
  /** The columns that a field's `show` can name: those of the table that it refers to. */
  readonly shown: (field: string) => readonly string[];
}

/** The columns that can be named at a place; null where something else is. */
function columnsAt(path: readonly string[], { columns, settings, shown }: FileNames): readonly Known[] | null {
  const at = settingAt(path, settings);
  if (at?.field !== undefined && at.found.path[0] === "show")
    return shown(at.field).map((name) => ({ name, type: "of the other table" }));
  return at?.found.columns?.includes(at.inside[0] ?? "") && at.inside.length <= 1 ? columns : null;
}

/** Completes what a page file knows at a place: settings by the schema, columns by the table. */
export function completeFile(
  context: CompletionContext,
  names: FileNames,
  schema: Schema | undefined,
): CompletionResult | null {
  const word = context.matchBefore(/[\w-]+/);
  if (!word && !context.explicit) return null;
  const path = pathAt(context);
  const inField = path[0] === "fields" && path.length > 1;
  const schemaPath = inField ? ["fields", 0, ...path.slice(1)] : path;
  const named = columnsAt(path, names);
  const options: Completion[] = named
    ? named.map(({ name, type }) => ({ label: name, detail: type, type: "property" }))
    : namesIn(schema, schemaPath).map((label) => ({ label, type: "keyword" }));
  return options.length > 0 ? { from: word?.from ?? context.pos, options, validFor: /^[\w-]*$/ } : null;
}
