import type { FieldSettings } from "@loyal-quill/core";
import { CheckBox, Line, Select } from "../../parts/inputs.js";
import type { EditorProps } from "../editing/editor-props.js";

const plain = ["trim", "single-spaces", "upper", "lower"] as const;

/** What is done to a typed text before it is judged. */
export function TidyEditor({ setting, sheet, field, value, onChange }: EditorProps) {
  const tidy = (value ?? []) as NonNullable<FieldSettings["tidy"]>;
  const set = (next: typeof tidy): void => onChange(next.length > 0 ? next : undefined);
  const slug = tidy.find((each) => typeof each === "object")?.slug ?? "";
  return (
    <Line>
      <span>{setting.label}</span>
      <span>
        {plain.map((each) => (
          <CheckBox
            key={each}
            label={each}
            checked={tidy.includes(each)}
            onChange={(checked) => set(checked ? [...tidy, each] : tidy.filter((other) => other !== each))}
          />
        ))}
        slug of{" "}
        <Select
          aria-label="Slug of"
          value={slug}
          onChange={(event) => {
            const others = tidy.filter((each) => typeof each !== "object");
            set(event.target.value === "" ? others : [...others, { slug: event.target.value }]);
          }}
        >
          <option value="">–</option>
          {sheet.fields
            .filter(({ name }) => name !== field?.name)
            .map(({ name }) => (
              <option key={name}>{name}</option>
            ))}
        </Select>
      </span>
    </Line>
  );
}
