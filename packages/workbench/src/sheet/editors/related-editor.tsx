import { usePages } from "../../api/queries.js";
import { CheckBox, Line } from "../../parts/inputs.js";
import { AddMenu } from "../../parts/menu.js";
import type { EditorProps } from "../editing/editor-props.js";
import { isPlain, useEditing } from "../editing/settings.js";

const nameOf = (entry: unknown): string => String(isPlain(entry) ? (entry.page ?? "") : entry);

/** Pages whose records refer to those of this one. */
export function RelatedEditor({ setting, value, onChange }: EditorProps) {
  const { page } = useEditing();
  const pages = usePages().data ?? [];
  const chosen: readonly unknown[] = Array.isArray(value) ? value : [];
  const set = (next: readonly unknown[]): void => onChange(next.length > 0 ? next : undefined);
  return (
    <Line>
      <span>{setting.label}</span>
      <span>
        {chosen.map((each, index) => (
          <CheckBox
            key={nameOf(each)}
            label={nameOf(each)}
            checked
            onChange={() => set(chosen.filter((_, place) => place !== index))}
          />
        ))}
        <AddMenu
          label="Add a related page"
          options={pages
            .filter(({ name }) => name !== page && !chosen.some((each) => nameOf(each) === name))
            .map(({ name, plural }) => ({ id: name, text: plural ?? name }))}
          onAdd={(name) => set([...chosen, name])}
        />
      </span>
    </Line>
  );
}
