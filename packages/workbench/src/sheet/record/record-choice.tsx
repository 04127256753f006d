import { useId, useState } from "react";
import { styled } from "styled-components";
import { type RecordChoiceProps, useChosenText, withOpener } from "./chosen-record.js";

const loadSearch = () => import("./record-search.js");

const Field = styled.span`
  ${withOpener}
`;

/** Chooses the record that the Sheet looks at: what finds one is loaded as soon as somebody goes there. */
export function RecordChoice({ page, chosen, onChoose }: RecordChoiceProps) {
  const id = useId();
  const shown = useChosenText(page, chosen);
  const [Search, setSearch] = useState<Awaited<ReturnType<typeof loadSearch>>["default"]>();
  const [typed, setTyped] = useState<string>();
  const [hasFocus, setFocus] = useState(false);
  // This one stays, with the focus and what is typed, until the other is there.
  const use = async (): Promise<void> => {
    setFocus(true);
    const { default: loaded } = await loadSearch();
    setSearch(() => loaded);
  };
  if (Search) return <Search page={page} chosen={chosen} onChoose={onChoose} begun={typed} hasFocus={hasFocus} />;
  return (
    <Field onPointerEnter={() => void loadSearch()}>
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
    </Field>
  );
}
