import { useId } from "react";
import { styled } from "styled-components";
import { useZone } from "../parts/zone.js";
import { localOf, momentOf } from "./local-moment.js";

const Field = styled.span`
  display: inline-flex;
  align-items: baseline;
`;

/** Day and time, in the zone that moments are told in. @param value ISO 8601, UTC; empty for none */
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
  const zone = useZone();
  return (
    <Field>
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        type="datetime-local"
        value={localOf(value, zone)}
        onChange={({ target }) => onChange(momentOf(target.value, zone))}
      />
    </Field>
  );
}
