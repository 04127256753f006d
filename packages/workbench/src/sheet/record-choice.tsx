import { useId, useState } from "react";
import { css, styled } from "styled-components";
import { useRecords } from "../api/queries.js";

const loadSearch = () => import("./record-search.js");

/** A text field with a button that opens its list. */
export const withOpener = css`
  display: inline-flex;
  align-items: baseline;
  label { color: ${({ theme }) => theme.soft}; margin-right: ${({ theme }) => theme.space(2)}; }
  input { border: 1px solid ${({ theme }) => theme.edge}; border-right: 0; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; width: 17rem; }
  button { border: 1px solid ${({ theme }) => theme.edge}; border-left: 0; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; cursor: pointer; }
`;

const Field = styled.span`
  ${withOpener}
`;

export interface RecordChoiceProps {
  readonly page: string;
  readonly chosen: readonly string[] | undefined;
  readonly onChoose: (key: readonly string[]) => void;
}

export const idOf = (key: readonly string[]): string => JSON.stringify(key);

/** What the chosen record is called; its key, as long as that is all that is known. */
export function useChosenText(page: string, chosen: readonly string[] | undefined): string {
  const own = useRecords(page, chosen?.[0] ?? "");
  return own.data?.find((record) => idOf(record.key) === idOf(chosen ?? []))?.text ?? chosen?.join(" / ") ?? "";
}

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
