import { useId, useRef } from "react";
import { css, styled } from "styled-components";
import { useFocusRequest } from "./focus-request.js";

/** A label and its control in one line; help and complaints below. */
export const Line = styled.div`
  display: grid;
  grid-template-columns: 6.5rem minmax(0, 1fr);
  gap: ${({ theme }) => `0 ${theme.space(2)}`};
  align-items: baseline;
  > label, > span:first-child { color: ${({ theme }) => theme.soft}; font-size: 0.9375rem; }
`;

const control = ({ theme }: { theme: { leaf: string; edge: string; space: (n: number) => string } }) => `
  width: 100%;
  min-width: 0;
  border: 1px solid ${theme.edge};
  background: ${theme.leaf};
  padding: ${theme.space(0.5)} ${theme.space(1.5)};
`;

export const Text = styled.input`
  ${control}
`;

export const Select = styled.select`
  ${control}
  width: auto;
  max-width: 100%;
`;

interface TextLineProps {
  readonly label: string;
  readonly value: string;
  readonly placeholder?: string;
  /** What it is known by to whoever asks for the focus; its label, if nothing else is said. */
  readonly focusName?: string;
  readonly onChange: (value: string) => void;
}

/** A text of one line. Every letter counts at once. */
export function TextLine({ label, value, placeholder, focusName = label, onChange }: TextLineProps) {
  const id = useId();
  const input = useRef<HTMLInputElement>(null);
  useFocusRequest(focusName, () => input.current?.select());
  return (
    <Line>
      <label htmlFor={id}>{label}</label>
      <Text
        ref={input}
        id={id}
        value={value}
        placeholder={placeholder}
        autoComplete="off"
        onChange={(event) => onChange(event.target.value)}
      />
    </Line>
  );
}

interface SelectLineProps {
  readonly label: string;
  readonly value: string;
  readonly options: readonly { readonly id: string; readonly text: string }[];
  readonly onChange: (id: string) => void;
}

/** One of a few. */
export function SelectLine({ label, value, options, onChange }: SelectLineProps) {
  const id = useId();
  const select = useRef<HTMLSelectElement>(null);
  useFocusRequest(label, () => select.current?.focus());
  return (
    <Line>
      <label htmlFor={id}>{label}</label>
      <span>
        <Select ref={select} id={id} value={value} onChange={(event) => onChange(event.target.value)}>
          {options.map((option) => (
            <option key={option.id} value={option.id}>
              {option.text}
            </option>
          ))}
        </Select>
      </span>
    </Line>
  );
}

const Box = styled.label`
  display: inline-flex;
  align-items: center;
  min-height: 1.75rem;
  gap: ${({ theme }) => theme.space(1)};
  margin-right: ${({ theme }) => theme.space(3)};
  input { accent-color: ${({ theme }) => theme.verdigris}; width: 1rem; height: 1rem; margin: 0.375rem; }
`;

/** Yes or no. */
export function CheckBox({
  label,
  checked,
  onChange,
}: {
  label: string;
  checked: boolean;
  onChange: (checked: boolean) => void;
}) {
  return (
    <Box>
      <input type="checkbox" checked={checked} onChange={(event) => onChange(event.target.checked)} />
      {label}
    </Box>
  );
}

/** A button that looks like a link. */
export const underlined = css`
  border: 0;
  background: none;
  padding: 1px 0;
  min-height: 24px;
  color: ${({ theme }) => theme.verdigris};
  text-decoration: underline;
  text-underline-offset: 0.15em;
  cursor: pointer;
`;

export interface Busy {
  /** Whether what it does is under way: it does nothing then, and keeps the focus, which a disabled one loses. */
  readonly $busy?: boolean;
}

export const whileBusy = ({ $busy = false }: Busy) =>
  $busy ? { "aria-disabled": true, onClick: (event: { preventDefault(): void }) => event.preventDefault() } : {};

/** A small button with words, underlined like a link: for what is done now and then. */
export const Small = styled.button.attrs<Busy>(whileBusy)`
  ${underlined}
  white-space: nowrap;
  &:disabled, &[aria-disabled="true"] { color: ${({ theme }) => theme.soft}; text-decoration: none; cursor: default; }
`;
