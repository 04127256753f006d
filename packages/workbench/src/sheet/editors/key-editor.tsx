import { SelectLine } from "../../parts/inputs.js";
import type { EditorProps } from "../editing/editor-props.js";
import { textOf, useEditing } from "../editing/settings.js";

/** The key of the page's records, and with it the address that carries it. */
export function KeyEditor({ setting, sheet, value }: EditorProps) {
  const { content, edit } = useEditing();
  const current = [value].flat().join(", ");
  const safe = sheet.keys.map((key) => ({ id: key.join(", "), text: key.join(", ") }));
  const isSafe = safe.some(({ id }) => id === current);
  return (
    <SelectLine
      label={setting.label}
      value={current}
      options={isSafe ? safe : [{ id: current, text: `${current} (not safe)` }, ...safe]}
      onChange={(id) => {
        const names = id.split(", ");
        const fixed = textOf(content?.path).replace(/\/\{.*$/, "");
        edit(
          [
            { do: "set", path: ["record", "key"], value: names.length === 1 ? names[0] : names },
            { do: "set", path: ["path"], value: `${fixed}/${names.map((name) => `{${name}}`).join("/")}` },
          ],
          "key",
        );
      }}
    />
  );
}
