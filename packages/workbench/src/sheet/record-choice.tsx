import { useEffect, useRef, useState } from "react";
import { Button, ComboBox, Input, Label } from "react-aria-components";
import { styled } from "styled-components";
import { ask } from "../api/client.js";
import { useCensus, useExtremes, useRecords } from "../api/queries.js";
import { Leaf, Option, Options } from "../parts/choice.js";

const Field = styled(ComboBox)`
  display: inline-flex;
  align-items: baseline;
  label { color: ${({ theme }) => theme.soft}; margin-right: ${({ theme }) => theme.space(2)}; }
  input { border: 1px solid ${({ theme }) => theme.edge}; border-right: 0; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; width: 17rem; }
  button { border: 1px solid ${({ theme }) => theme.edge}; border-left: 0; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; cursor: pointer; }
`;

interface RecordChoiceProps {
  readonly page: string;
  readonly chosen: readonly string[] | undefined;
  readonly onChoose: (key: readonly string[]) => void;
}

const idOf = (key: readonly string[]): string => JSON.stringify(key);

/** Chooses the record that the Sheet looks at, by a part of its key or title. */
export function RecordChoice({ page, chosen, onChoose }: RecordChoiceProps) {
  const [typed, setTyped] = useState<string>();
  const shownKey = chosen?.join(" / ") ?? "";
  const own = useRecords(page, chosen?.[0] ?? "");
  const shown = own.data?.find((record) => idOf(record.key) === idOf(chosen ?? []))?.text ?? shownKey;
  const records = useRecords(page, typed ?? "");
  // Another record was chosen: what was typed to find the last one is done with.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the chosen key is the trigger
  useEffect(() => setTyped(undefined), [shownKey]);
  const extremes = useExtremes(page);
  // Where nothing is typed, what is worth a look comes first.
  const census = useCensus(page);
  const refused = (census.data?.census?.counts ?? []).flatMap(({ examples: [key], field, rule }) =>
    key ? [{ key, text: key.join(" / "), extreme: `refused: ${field ?? rule}` }] : [],
  );
  const worth = typed ? [] : [...(extremes.data ?? []), ...refused];
  const items = [
    ...worth.map((record) => ({
      id: `${record.extreme} ${idOf(record.key)}`,
      text: record.text,
      extreme: record.extreme,
    })),
    ...(records.data ?? []).map((record) => ({ id: idOf(record.key), text: record.text, extreme: undefined })),
  ];
  return (
    <Field
      items={items}
      value={null}
      inputValue={typed ?? shown}
      onInputChange={setTyped}
      onChange={(id) => {
        const written = String(id ?? "");
        if (id !== null) onChoose(JSON.parse(written.slice(written.indexOf("["))) as string[]);
      }}
      onOpenChange={(open) => {
        if (!open) setTyped(undefined);
      }}
      allowsEmptyCollection
      menuTrigger="focus"
    >
      <Label>Record</Label>
      <Input onFocus={(event) => event.target.select()} />
      <Button>
        <span aria-hidden="true">▾</span>
      </Button>
      <Leaf>
        <Options<(typeof items)[number]> renderEmptyState={() => <Nothing>Nothing contains “{typed}”.</Nothing>}>
          {(record) => (
            <Option id={record.id} textValue={record.text}>
              {record.extreme && <Why>{record.extreme}</Why>}
              {record.text}
            </Option>
          )}
        </Options>
      </Leaf>
    </Field>
  );
}

const Nothing = styled.p`
  padding: ${({ theme }) => `${theme.space(1)} ${theme.space(3)}`};
  color: ${({ theme }) => theme.soft};
`;

const Why = styled.span`
  color: ${({ theme }) => theme.soft};
  display: inline-block;
  min-width: 6.5rem;
`;

const Arrows = styled.span`
  margin-left: ${({ theme }) => theme.space(-4)};
  button { border: 1px solid ${({ theme }) => theme.edge}; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; cursor: pointer; }
  button + button { border-left: 0; }
`;

interface NeighboursProps {
  readonly page: string;
  readonly from: readonly string[];
  readonly onChoose: (key: readonly string[]) => void;
}

/** The record before and the one after, in the order of their keys; by Alt and the page keys, too. */
export function Neighbours({ page, from, onChoose }: NeighboursProps) {
  const [end, setEnd] = useState<string>();
  const go = async (by: 1 | -1): Promise<void> => {
    const query = new URLSearchParams([...from.map((part) => ["key", part]), ["by", String(by)]]);
    const next = await ask<readonly string[] | null>(`/pages/${encodeURIComponent(page)}/neighbour?${query}`).catch(
      () => null,
    );
    setEnd(next ? undefined : by > 0 ? "This is the last record." : "This is the first record.");
    if (next) onChoose(next);
  };
  const latest = useRef(go);
  latest.current = go;
  useEffect(() => {
    const onKeyDown = (event: KeyboardEvent): void => {
      if (!event.altKey || (event.key !== "PageDown" && event.key !== "PageUp")) return;
      event.preventDefault();
      void latest.current(event.key === "PageDown" ? 1 : -1);
    };
    window.addEventListener("keydown", onKeyDown);
    return () => window.removeEventListener("keydown", onKeyDown);
  }, []);
  return (
    <Arrows>
      <button type="button" onClick={() => void go(-1)} aria-label="Previous record" title="Alt+Page Up">
        ↑
      </button>
      <button type="button" onClick={() => void go(1)} aria-label="Next record" title="Alt+Page Down">
        ↓
      </button>
      <span role="status">{end && ` ${end}`}</span>
    </Arrows>
  );
}
