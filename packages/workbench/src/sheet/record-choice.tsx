import { useEffect, useState } from "react";
import { Button, ComboBox, Input, Label } from "react-aria-components";
import { styled } from "styled-components";
import { useRecords } from "../api/queries.js";
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
  const items = (records.data ?? []).map((record) => ({ id: idOf(record.key), text: record.text }));
  return (
    <Field
      items={items}
      value={null}
      inputValue={typed ?? shown}
      onInputChange={setTyped}
      onChange={(id) => {
        if (id !== null) onChoose(JSON.parse(String(id)) as string[]);
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
        <Options<{ id: string; text: string }> renderEmptyState={() => <Nothing>Nothing contains “{typed}”.</Nothing>}>
          {(record) => (
            <Option id={record.id} textValue={record.text}>
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
