import { useId } from "react";
import { styled } from "styled-components";

const Field = styled.span`
  display: inline-flex;
  align-items: baseline;
  label { color: ${({ theme }) => theme.soft}; margin-right: ${({ theme }) => theme.space(2)}; white-space: nowrap; }
  select { border: 1px solid ${({ theme }) => theme.edge}; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; cursor: pointer; max-width: 22rem; min-height: 2rem; }
`;

interface ChoiceProps {
  readonly label: string;
  readonly value: string;
  readonly options: readonly { readonly id: string; readonly text: string }[];
  readonly onChange: (id: string) => void;
}

/** One of a few. */
export function Choice({ label, value, options, onChange }: ChoiceProps) {
  const id = useId();
  return (
    <Field>
      <label htmlFor={id}>{label}</label>
      <select id={id} value={value} onChange={(event) => onChange(event.target.value)}>
        {/* Until it is known what is chosen, nothing is said to be. */}
        {options.every((option) => option.id !== value) && <option value={value}>–</option>}
        {options.map((option) => (
          <option key={option.id} value={option.id}>
            {option.text}
          </option>
        ))}
      </select>
    </Field>
  );
}
