import { css } from "styled-components";
import { useRecords } from "../../api/queries.js";

/** A text field with a button that opens its list. */
export const withOpener = css`
  display: inline-flex;
  align-items: baseline;
  flex: 1 1 auto;
  label { color: ${({ theme }) => theme.soft}; margin-right: ${({ theme }) => theme.space(2)}; }
  input { border: 1px solid ${({ theme }) => theme.edge}; border-right: 0; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; }
  button { border: 1px solid ${({ theme }) => theme.edge}; border-left: 0; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; cursor: pointer; }
`;

export interface RecordChoiceProps {
  readonly page: string;
  /** The page's text as the server has it, by which it finds records and names them. */
  readonly kept: string;
  readonly chosen: readonly string[] | undefined;
  readonly onChoose: (key: readonly string[]) => void;
}

export const idOf = (key: readonly string[]): string => JSON.stringify(key);

/** What the chosen record is called; its key, as long as that is all that is known. */
export function useChosenText(page: string, kept: string, chosen: readonly string[] | undefined): string {
  const own = useRecords(page, kept, chosen?.[0] ?? "");
  return own.data?.find((record) => idOf(record.key) === idOf(chosen ?? []))?.text ?? chosen?.join(" / ") ?? "";
}
