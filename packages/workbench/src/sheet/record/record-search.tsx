import { type RefObject, useContext, useEffect, useRef, useState } from "react";
import {
  Button,
  ComboBox,
  ComboBoxStateContext,
  Input,
  Label,
  ListBox,
  ListBoxItem,
  Popover,
} from "react-aria-components";
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

type Menu = ReturnType<typeof useMenu>;

/** What opens and closes the list of the field around. */
const useMenu = () => useContext(ComboBoxStateContext);

/** Hands it out to whoever is around the field. */
function HandedOut({ menu }: { menu: RefObject<Menu> }) {
  const state = useMenu();
  // React Aria renders what is in the field a second time, to know the items: there is no menu there.
  if (state) menu.current = state;
  return null;
}

interface RecordSearchProps extends RecordChoiceProps {
  /** What was typed before this was there. */
  readonly begun: string | undefined;
  /** Whether the focus is still there, and not on something else by now. */
  readonly hasFocus: boolean;
}

/** Finds a record by a part of its key or title, as one types. */
export default function RecordSearch({ page, kept, chosen, onChoose, begun, hasFocus }: RecordSearchProps) {
  const [typed, setTyped] = useState(begun);
  const menu = useRef<Menu>(null);
  const input = useRef<HTMLInputElement>(null);
  // The focus comes back to the field once the list has closed: that opens it no second time.
  const hasClosed = useRef(false);
  const shownKey = chosen?.join(" / ") ?? "";
  const shown = useChosenText(page, kept, chosen);
  const records = useRecords(page, kept, typed ?? "");
  // Another record was chosen: what was typed to find the last one is done with.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the chosen key is the trigger
  useEffect(() => setTyped((before) => (before === begun ? before : undefined)), [shownKey]);
  // Its title comes later than its key: either is typed over.
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is shown is the trigger
  useEffect(() => {
    if (typed === undefined && document.activeElement === input.current) input.current?.select();
  }, [shown, typed]);
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
        onInputChange={(text) => {
          setTyped(text);
          menu.current?.open(null, "input");
        }}
        onChange={(id) => {
          if (id === null) return;
          const written = String(id);
          onChoose(JSON.parse(written.slice(written.indexOf("["))) as string[]);
          menu.current?.close();
        }}
        onOpenChange={(open) => {
          hasClosed.current = !open;
          if (!open) setTyped(undefined);
        }}
        allowsEmptyCollection
        // Opened by hand: the field would take the title of what was chosen, which comes later, for something typed, and open once more.
        menuTrigger="manual"
      >
        <HandedOut menu={menu} />
        <Label>Record</Label>
        <Input
          ref={input}
          autoFocus={hasFocus}
          onFocus={(event) => {
            if (begun === undefined) event.target.select();
            if (!hasClosed.current) menu.current?.open(null, "focus");
            hasClosed.current = false;
          }}
          // What is left by closing it comes after this.
          onBlur={() =>
            queueMicrotask(() => {
              hasClosed.current = false;
            })
          }
        />
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
