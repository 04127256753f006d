import { styled } from "styled-components";
import { focusAfter } from "../../parts/focus.js";
import { Small } from "../../parts/inputs.js";
import { settingsOf, useEditing } from "../editing/settings.js";
import type { Selection } from "../editing/use-selection.js";

const Bar = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(4)}`};
  > b { width: 100%; }
`;

/** What can be done with several fields at once. */
export function FieldsTogether({ selection }: { selection: Selection }) {
  const { content, edit } = useEditing();
  const { names } = selection;
  if (names.length < 2) return null;
  const each = (setting: string, value: (name: string) => unknown, what: string): void =>
    edit(
      names.map((name) => ({ do: "set", path: ["fields", name, setting], value: value(name) })),
      `${what} of ${names.length} fields`,
    );
  const isReadOnly = names.every((name) => settingsOf(content, name)["read-only"] === true);
  return (
    <Bar role="toolbar" aria-label="Selected fields">
      <b>{names.length} fields selected</b>
      <Small type="button" onClick={() => selection.move(names, -1)}>
        Move up
      </Small>
      <Small type="button" onClick={() => selection.move(names, 1)}>
        Move down
      </Small>
      <Small
        type="button"
        onClick={() =>
          each(
            "rules",
            (name) => {
              const rules = settingsOf(content, name).rules ?? [];
              return rules.includes("required") ? rules : ["required", ...rules];
            },
            "required",
          )
        }
      >
        Make required
      </Small>
      <Small
        type="button"
        onClick={() =>
          each("tidy", (name) => [...new Set([...(settingsOf(content, name).tidy ?? []), "trim"])], "trim")
        }
      >
        Trim
      </Small>
      <Small type="button" onClick={() => each("read-only", () => (isReadOnly ? undefined : true), "read-only")}>
        {isReadOnly ? "Make editable" : "Make read-only"}
      </Small>
      <label>
        Group{" "}
        <input
          style={{ width: "9rem" }}
          onChange={(event) => each("group", () => event.target.value || undefined, "group")}
        />
      </label>
      <Small type="button" onClick={() => selection.takeOff(names)}>
        Remove from page
      </Small>
      <Small
        type="button"
        onClick={() => {
          selection.choose([]);
          focusAfter(`[data-field-button="${CSS.escape(names[0] ?? "")}"]`);
        }}
      >
        Clear selection
      </Small>
    </Bar>
  );
}
