import { TextLine } from "../parts/inputs.js";
import { ConditionLine } from "./condition-line.js";
import { partOf, setter, textOf, useEditing } from "./settings.js";

const accessLines = [
  { name: "open", label: "Can open", place: "open" },
  { name: "rows", label: "Visible records", place: "row" },
  { name: "edit", label: "Editable when", place: "row" },
  { name: "new", label: "Can create", place: "open" },
  { name: "delete", label: "Deletable when", place: "row" },
  { name: "history", label: "Can see changes", place: "row" },
] as const;

/** Who may open the page, see, edit, make and delete records. */
export function AccessSettings() {
  const editing = useEditing();
  const set = setter(editing);
  const access = partOf(editing.content, "access");
  return (
    <>
      {accessLines.map(({ name, label, place }) => (
        <ConditionLine
          key={name}
          label={label}
          place={place}
          value={textOf(access[name])}
          // "true" and "false" of new and delete are YAML's own.
          onChange={(value) =>
            set(
              ["access", name],
              (name === "new" || name === "delete" || name === "history") && /^(true|false)$/.test(value)
                ? value === "true"
                : value,
              label.toLowerCase(),
            )
          }
        />
      ))}
      <TextLine
        label="Reason when locked"
        value={textOf(access.because)}
        onChange={(value) => set(["access", "because"], value, "why it can't be edited")}
      />
    </>
  );
}
