import type { Finding } from "@loyal-quill/core/findings/finding";
import { CanNotEdit, editPageFile } from "./edit.js";

/**
 * Puts a finding right in the text in which it was found.
 *
 * @throws CanNotEdit where the text is no longer what it was, or there is no repair
 */
export function repaired(text: string, { repair, line, column }: Finding): string {
  if (!repair) throw new CanNotEdit("There is no repair for this.");
  if ("edits" in repair) return editPageFile(text, repair.edits);
  const lines = text.split("\n");
  const here = lines[line - 1] ?? "";
  const after = here.indexOf(repair.wrong, column - 1);
  // A value of several lines begins where it is found, and a template's name stands anywhere in it.
  const at = after >= 0 ? after : here.indexOf(repair.wrong);
  if (at < 0) throw new CanNotEdit(`"${repair.wrong}" is no longer in line ${line}.`);
  lines[line - 1] = `${here.slice(0, at)}${repair.right}${here.slice(at + repair.wrong.length)}`;
  return lines.join("\n");
}
