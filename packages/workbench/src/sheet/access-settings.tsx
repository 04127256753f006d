import { TextLine } from "../parts/inputs.js";
import { texts } from "../texts.js";
import { ConditionLine } from "./condition-line.js";
import { partOf, setter, textOf, useEditing } from "./settings.js";

const says = texts.accessSettings;

const accessLines = [
  { name: "open", label: says.canOpen, place: "open" },
  { name: "rows", label: says.visibleRecords, place: "row" },
  { name: "edit", label: says.editableWhen, place: "row" },
  { name: "new", label: says.canCreate, place: "open" },
  { name: "delete", label: says.deletableWhen, place: "row" },
  { name: "history", label: says.canSeeChanges, place: "row" },
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
        label={says.reasonWhenLocked}
        value={textOf(access.because)}
        onChange={(value) => set(["access", "because"], value, says.whyItCanTBeEdited)}
      />
    </>
  );
}
