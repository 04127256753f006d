import { Button, type Key, Label, ListBox, ListBoxItem, Popover, Select, SelectValue } from "react-aria-components";
import { styled } from "styled-components";

const Field = styled(Select)`
  display: inline-flex;
  align-items: baseline;
  label, > span:first-child { color: ${({ theme }) => theme.soft}; margin-right: ${({ theme }) => theme.space(2)}; }
`;

const Opener = styled(Button)`
  border: 1px solid ${({ theme }) => theme.edge};
  background: ${({ theme }) => theme.leaf};
  padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`};
  cursor: pointer;
  display: inline-flex;
  gap: ${({ theme }) => theme.space(2)};
  max-width: 22rem;
  > span:first-child { white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
`;

export const Leaf = styled(Popover)`
  background: ${({ theme }) => theme.leaf};
  border: 1px solid ${({ theme }) => theme.edge};
  min-width: var(--trigger-width);
  overflow: auto;
`;

export const Options = styled(ListBox)`
  outline: none;
` as typeof ListBox;

export const Option = styled(ListBoxItem)`
  padding: ${({ theme }) => `${theme.space(1)} ${theme.space(3)}`};
  cursor: default;
  outline: none;
  &[data-focused] { background: ${({ theme }) => theme.wash}; }
  &[data-selected] { color: ${({ theme }) => theme.verdigris}; font-weight: 700; }
`;

interface ChoiceProps {
  readonly label: string;
  readonly value: string;
  readonly options: readonly { readonly id: string; readonly text: string }[];
  readonly onChange: (id: string) => void;
}

/** One of a few. */
export function Choice({ label, value, options, onChange }: ChoiceProps) {
  return (
    <Field value={value as Key} onChange={(key) => onChange(String(key ?? ""))}>
      <Label>{label}</Label>
      <Opener>
        <SelectValue />
        <span aria-hidden="true">▾</span>
      </Opener>
      <Leaf>
        <Options items={options}>
          {(option) => (
            <Option id={option.id} textValue={option.text}>
              {option.text}
            </Option>
          )}
        </Options>
      </Leaf>
    </Field>
  );
}
