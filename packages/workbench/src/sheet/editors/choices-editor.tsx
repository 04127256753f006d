import type { FieldSettings } from "@loyal-quill/core";
import { SelectLine } from "../../parts/inputs.js";
import type { EditorProps } from "../editing/editor-props.js";
import { ConditionLine } from "./condition-line.js";

/** Which records a reference offers, and how one of them is found. */
export function ChoicesEditor({ field, value, onChange }: EditorProps) {
  const choices = (value ?? {}) as NonNullable<FieldSettings["choices"]>;
  const set = (next: Readonly<Record<string, string>>): void => {
    const kept = Object.entries({ ...choices, ...next }).filter(([, each]) => each !== "");
    onChange(kept.length > 0 ? Object.fromEntries(kept) : undefined);
  };
  return (
    <>
      <SelectLine
        label="Choose from"
        value={choices.by ?? ""}
        options={[
          { id: "", text: "Automatic (by table size)" },
          { id: "list", text: "List of all" },
          { id: "search", text: "Search" },
        ]}
        onChange={(by) => set({ by })}
      />
      <ConditionLine
        label="Filter options"
        place="choices"
        field={field?.name ?? ""}
        example="row.region_id == form.region_id"
        value={choices.where ?? ""}
        onChange={(where) => set({ where })}
      />
    </>
  );
}
