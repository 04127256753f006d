import type { Document } from "yaml";
import { contentByParts } from "./text-parts.js";
import { readYaml } from "./yaml.js";

type Plain = Readonly<Record<string, unknown>>;

const isPlain = (value: unknown): value is Plain =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** A document's content; undefined when its aliases multiply beyond measure. */
export function contentOfDocument(document: Document): unknown {
  try {
    return document.toJS({ maxAliasCount: 20 }) ?? null;
  } catch {
    return undefined;
  }
}

/** A page file's content as far as it can be read, sound or not; undefined where its YAML has an error, or is no map. */
export function contentOf(text: string): Plain | undefined {
  const quick = contentByParts(text);
  if (quick) return quick;
  const document = readYaml(text);
  if (document.errors.length > 0) return undefined;
  const content = contentOfDocument(document);
  return isPlain(content) ? content : undefined;
}
