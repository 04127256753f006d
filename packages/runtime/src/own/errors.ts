import { execFile } from "node:child_process";
import { readFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import { saidBy } from "@loyal-quill/core";

/** A place in a developer's file. Lines and columns count from 1. */
interface Place {
  readonly file: string;
  readonly line: number;
  readonly column: number;
}

/** Files that are none of the developer's: packages, Node's own, ours. */
const foreign =
  /node_modules|^node:|[\\/]@loyal-quill[\\/]|[\\/]packages[\\/](core|runtime|server|cli)[\\/](src|dist)[\\/]/;

/** The first place of a stack that is in a file of the developer's. Behind a question mark stands when a module was changed. */
function placeIn(stack: string): Place | null {
  for (const line of stack.split("\n")) {
    const [, address = "", row = "", column = ""] =
      /(?:^|[\s(])((?:file:\/\/)?\/[^\s()?]+)(?:\?[^\s():]*)?:(\d+):(\d+)\)?/.exec(line) ?? [];
    if (address === "" || foreign.test(address)) continue;
    const file = address.startsWith("file:") ? fileURLToPath(address) : address;
    return { file, line: Number(row), column: Number(column) };
  }
  return null;
}

/** The line of a file at a place; nothing where it can't be read any more. */
function sourceAt({ file, line }: Place): string {
  try {
    return readFileSync(file, "utf8").split("\n")[line - 1] ?? "";
  } catch {
    return "";
  }
}

/** The errors that led to one another, the innermost first. */
function causes(error: unknown): readonly Error[] {
  const found: Error[] = [];
  for (let each = error; each instanceof Error && !found.includes(each); each = each.cause) found.unshift(each);
  return found;
}

/**
 * An error with the place in the developer's own code first: file, line and column, what was thrown, and the line itself. An error that is none of
 * theirs is told by its stack.
 */
export function errorText(error: unknown): string {
  const stack = error instanceof Error ? (error.stack ?? error.message) : saidBy(error);
  for (const cause of causes(error)) {
    const place = placeIn(cause.stack ?? "");
    if (!place) continue;
    const { file, line, column } = place;
    const source = sourceAt(place);
    const marked = source === "" ? [] : [`${String(line).padStart(6)} | ${source}`, `${" ".repeat(7 + column)} ^`];
    return [
      `${path.relative(process.cwd(), file)}:${line}:${column}  ${(error as Error).message}`,
      ...marked,
      ...(cause.stack ?? "").split("\n").slice(1),
    ].join("\n");
  }
  return stack;
}

/**
 * Where a module of JavaScript can't be read: import() tells only what is wrong, Node's own check also where.
 *
 * @returns null where the module itself is sound
 */
export async function syntaxErrorIn(file: string): Promise<string | null> {
  try {
    await promisify(execFile)(process.execPath, ["--check", file]);
    return null;
  } catch (error) {
    const said = String((error as { stderr?: unknown }).stderr ?? "");
    const [, line, source] = /:(\d+)\r?\n(.*)/.exec(said) ?? [];
    return line === undefined ? null : `line ${line}: ${source?.trim() ?? ""}`;
  }
}
