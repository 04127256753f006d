import { misspelt } from "../values/nearest.js";
import type { Repair } from "./finding.js";

/** The repair of a misspelt name. */
export function spelling(name: string, known: Iterable<string>): Repair | undefined {
  const found = misspelt(name, known);
  return found && { what: `write ${found.right}`, ...found };
}
