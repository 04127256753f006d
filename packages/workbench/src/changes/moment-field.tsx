import { useId } from "react";
import { styled } from "styled-components";
import { Temporal } from "temporal-polyfill";
import { useZone } from "../parts/zone.js";

const Field = styled.span`
  display: inline-flex;
  align-items: baseline;
`;

/** A moment as the control has it: local to a zone, to the minute; empty for what is no moment. */
export function localOf(at: string, zone: string): string {
  if (Number.isNaN(Date.parse(at))) return "";
  const local = Temporal.Instant.from(new Date(at).toISOString()).toZonedDateTimeISO(zone).toPlainDateTime();
  return local.toString({ smallestUnit: "minute" });
}

/** The moment that a control means in a zone; where the clocks go back the first of the two. @returns ISO 8601, UTC */
export function momentOf(local: string, zone: string): string {
  if (local === "") return "";
  return new Date(Temporal.PlainDateTime.from(local).toZonedDateTime(zone).epochMilliseconds).toISOString();
}

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
