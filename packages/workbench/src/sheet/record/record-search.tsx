import { useEffect, useState } from "react";
import { Button, ComboBox, Input, Label, ListBox, ListBoxItem, Popover } from "react-aria-components";
import { styled } from "styled-components";
import { useCensus, useExtremes, useRecords } from "../../api/queries.js";
import { English } from "../../parts/english.js";
import { idOf, type RecordChoiceProps, useChosenText, withOpener } from "./chosen-record.js";

const Field = styled(ComboBox)`
  ${withOpener}
`;

const Leaf = styled(Popover)`
  background: ${({ theme }) => theme.leaf};
  border: 1px solid ${({ theme }) => theme.edge};
  min-width: var(--trigger-width);
  overflow: auto;
`;

const Options = styled(ListBox)`
  outline: none;
` as typeof ListBox;

const Option = styled(ListBoxItem)`
  padding: ${({ theme }) => `${theme.space(1)} ${theme.space(3)}`};
  cursor: default;
  outline: none;
  &[data-focused] { background: ${({ theme }) => theme.wash}; outline: 2px solid ${({ theme }) => theme.verdigris}; outline-offset: -2px; }
  &[data-selected] { color: ${({ theme }) => theme.verdigris}; font-weight: 700; }
`;

interface RecordSearchProps extends RecordChoiceProps {
  /** What was typed before this was there. */
  readonly begun: string | undefined;
  /** Whether the focus is still there, and not on something else by now. */
  readonly hasFocus: boolean;
}

/** Finds a record by a part of its key or title, as one types. */
export default function RecordSearch({ page, kept, chosen, onChoose, begun, hasFocus }: RecordSearchProps) {
  const [typed, setTyped] = useState(begun);
  const shownKey = chosen?.join(" / ") ?? "";
  const shown = useChosenText(page, kept, chosen);
  const records = useRecords(page, kept, typed ?? "");
  // Another record was chosen: what was typed to find the last one is done with.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the chosen key is the trigger
  useEffect(() => setTyped((before) => (before === begun ? before : undefined)), [shownKey]);
  const extremes = useExtremes(page, kept);
  // Where nothing is typed, what is worth a look comes first.
  const census = useCensus(page);
  const refused = (census.data?.census?.counts ?? []).flatMap(({ examples: [key], field, rule }) =>
    key ? [{ key, text: key.join(" / "), extreme: `refused: ${field ?? rule}` }] : [],
  );
  // One that comes later would move the others from under a click.
  const isSearching = records.isPending || (!typed && (extremes.isPending || census.isPending));
  const found = records.error
    ? records.error.message
    : isSearching || records.isPlaceholderData
      ? "Searching…"
      : `Nothing contains “${typed}”.`;
  const worth = typed || isSearching ? [] : [...(extremes.data ?? []), ...refused];
  const matching = isSearching ? [] : (records.data ?? []);
  const items = [
    ...worth.map((record) => ({
      id: `${record.extreme} ${idOf(record.key)}`,
      text: record.text,
      extreme: record.extreme,
    })),
    ...matching.map((record) => ({ id: idOf(record.key), text: record.text, extreme: undefined })),
  ];
  return (
    <English>
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
        <Input autoFocus={hasFocus} onFocus={(event) => begun === undefined && event.target.select()} />
        <Button>
          <span aria-hidden="true">▾</span>
        </Button>
        <Leaf>
          <Options<(typeof items)[number]> renderEmptyState={() => <Nothing>{found}</Nothing>}>
            {(record) => (
              <Option id={record.id} textValue={record.text}>
                {record.extreme && <Why>{record.extreme}</Why>}
                {record.text}
              </Option>
            )}
          </Options>
        </Leaf>
      </Field>
    </English>
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
