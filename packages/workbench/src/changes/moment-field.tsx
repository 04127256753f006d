import { useId } from "react";
import { styled } from "styled-components";

const Field = styled.span`
  display: inline-flex;
  align-items: baseline;
`;

const two = (number: number): string => String(number).padStart(2, "0");

/** A moment as the control has it: local to the reader, to the minute. */
export function localOf(at: string): string {
  const date = new Date(at);
  if (at === "" || Number.isNaN(date.getTime())) return "";
  return `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())}T${two(date.getHours())}:${two(date.getMinutes())}`;
}

/** Day and time, local to the reader. @param value ISO 8601, UTC; empty for none */
export function MomentField({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
}) {
  const id = useId();
  return (
    <Field>
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        type="datetime-local"
        value={localOf(value)}
        onChange={({ target }) => onChange(target.value === "" ? "" : new Date(target.value).toISOString())}
      />
    </Field>
  );
}
