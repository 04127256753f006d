import { useId, useState } from "react";
import { styled } from "styled-components";
import { Mark } from "../../parts/mark.js";
import { type RecordChoiceProps, useChosenText, withOpener } from "./chosen-record.js";

const loadSearch = () => import("./record-search.js");

const Field = styled.span`
  ${withOpener}
`;

/** Chooses the record that the Sheet looks at: what finds one is loaded as soon as somebody goes there. */
export function RecordChoice({ page, kept, chosen, onChoose }: RecordChoiceProps) {
  const id = useId();
  const shown = useChosenText(page, kept, chosen);
  const [Search, setSearch] = useState<Awaited<ReturnType<typeof loadSearch>>["default"]>();
  const [typed, setTyped] = useState<string>();
  const [hasFocus, setFocus] = useState(false);
  const [isMissing, setMissing] = useState(false);
  // This one stays, with the focus and what is typed, until the other is there.
  const use = async (): Promise<void> => {
    setFocus(true);
    try {
      const { default: loaded } = await loadSearch();
      setMissing(false);
      setSearch(() => loaded);
    } catch {
      setMissing(true);
    }
  };
  if (Search) return <Search {...{ page, kept, chosen, onChoose, hasFocus }} begun={typed} />;
  return (
    <Field onPointerEnter={() => void loadSearch().catch(() => {})}>
      <label htmlFor={id}>Record</label>
      <input
        id={id}
        role="combobox"
        aria-expanded="false"
        aria-autocomplete="list"
        autoComplete="off"
        value={typed ?? shown}
        onFocus={(event) => {
          event.target.select();
          void use();
        }}
        onBlur={() => setFocus(false)}
        onChange={(event) => setTyped(event.target.value)}
      />
      <button type="button" tabIndex={-1} aria-label="Show records" onClick={() => void use()}>
        <span aria-hidden="true">▾</span>
      </button>
      {isMissing && (
        <span role="alert">
          <Mark kind="stop">The search could not be loaded.</Mark>
        </span>
      )}
    </Field>
  );
}
