import type { ChangeAnswer, ChangesAnswer } from "@loyal-quill/server/api";
import { useDeferredValue, useState } from "react";
import { Input, Label, SearchField } from "react-aria-components";
import { styled } from "styled-components";
import { ask } from "../api/client.js";
import { type ChangeFilter, changeSearch, useChanges } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { English } from "../parts/english.js";
import { figure } from "../parts/figures.js";
import { Heard } from "../parts/heard.js";
import { Small } from "../parts/inputs.js";
import { ZoneChoice } from "../parts/moment.js";
import { Actions, Foot } from "../parts/selecting.js";
import { Empty, Failed, QuietButton, Waiting } from "../parts/states.js";
import { Scroll } from "../parts/table.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { useChosen } from "../parts/use-chosen.js";
import { useFilters } from "../parts/use-filters.js";
import { useHeld } from "../parts/use-held.js";
import { ChangePlaces } from "./change-places.js";
import { ChangesTable } from "./changes-table.js";
import { MomentField } from "./moment-field.js";
import { PutBack, type PutBackAsked } from "./put-back.js";

const Heading = styled.div`
  display: flex;
  align-items: baseline;
  gap: ${({ theme }) => theme.space(8)};
`;

const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(2)} ${theme.space(5)}`};
  margin-bottom: ${({ theme }) => theme.space(3)};
  label { color: ${({ theme }) => theme.soft}; margin-right: ${({ theme }) => theme.space(2)}; }
  input { border: 1px solid ${({ theme }) => theme.edge}; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; min-height: 2rem; }
  input[type="search"] { width: 11rem; }
`;

const names = ["page", "person", "field", "value", "containing", "from", "to", "way", "request"] as const;

const filterOf = (search: URLSearchParams): ChangeFilter =>
  Object.fromEntries(names.flatMap((name) => (search.get(name) ? [[name, search.get(name) ?? ""]] : [])));

interface Filtering {
  readonly filter: ChangeFilter;
  readonly set: (name: (typeof names)[number], value: string) => void;
  readonly changes: readonly ChangeAnswer[];
  /** Those who changed something lately. */
  readonly people: ChangesAnswer["people"];
  readonly pages: ChangesAnswer["pages"];
}

/** By what the changes are looked for. */
function ChangeFilters({ filter, set, changes, people, pages }: Filtering) {
  const pageNames = [...new Set([...pages, ...changes.flatMap((change) => (change.page === "" ? [] : [change.page]))])];
  const isKnown = people.some(({ id }) => id === filter.person);
  const find = (label: string, name: (typeof names)[number], placeholder = "") => (
    <SearchField value={filter[name] ?? ""} onChange={(value) => set(name, value)}>
      <Label>{label}</Label>
      <Input placeholder={placeholder} />
    </SearchField>
  );
  return (
    <Top>
      {find("Contains", "containing")}
      <Choice
        label="Page"
        value={filter.page ?? ""}
        options={[{ id: "", text: "all pages" }, ...pageNames.map((id) => ({ id, text: id }))]}
        onChange={(value) => set("page", value)}
      />
      <Choice
        label="Person"
        value={filter.person ?? ""}
        options={[
          { id: "", text: "everybody" },
          ...people.map(({ id, name }) => ({ id, text: name })),
          ...(filter.person && !isKnown ? [{ id: filter.person, text: filter.person }] : []),
        ]}
        onChange={(value) => set("person", value)}
      />
      {find("Field", "field")}
      {find("Value", "value", "before or after")}
      <MomentField label="From" value={filter.from ?? ""} onChange={(value) => set("from", value)} />
      <MomentField label="To" value={filter.to ?? ""} onChange={(value) => set("to", value)} />
      <ZoneChoice />
      <Choice
        label="Made by"
        value={filter.way ?? ""}
        options={[
          { id: "", text: "anything" },
          { id: "page", text: "a page" },
          { id: "behind", text: "something else (watched tables)" },
          { id: "log", text: "what is done to the log itself" },
          { id: "import", text: "an import" },
        ]}
        onChange={(value) => set("way", value)}
      />
    </Top>
  );
}

/** Changes: who changed what, newest first. */
export default function ChangesRoute() {
  const [search, set] = useFilters();
  const filter = filterOf(search);
  const deferred = useDeferredValue(filter);
  const changes = useChanges(deferred);
  const chosen = useChosen();
  const [asked, setAsked] = useState<PutBackAsked | null>(null);
  const [failed, setFailed] = useState<Error | null>(null);
  useDocumentTitle("Changes");
  const parts = changes.data?.pages ?? [];
  const all: readonly ChangeAnswer[] = parts.flatMap((part) => part.changes);
  const held = useHeld(all);
  const { people = [], pages = [] } = parts[0] ?? {};
  const person = people.find(({ id }) => id === filter.person)?.name;
  /** All that matches, as far as it can be put back at once. */
  const putBackAll = async (): Promise<void> => {
    setFailed(null);
    try {
      const { entries, more } = await ask<{ entries: string[]; more: boolean }>(
        `/changes/entries?${changeSearch(filter)}`,
      );
      setAsked({ entries, isPart: more });
    } catch (error) {
      setFailed(error as Error);
    }
  };
  return (
    <English>
      <Heading>
        <Title>Changes</Title>
        <ChangePlaces />
      </Heading>
      <ChangeFilters filter={filter} set={set} changes={all} people={people} pages={pages} />
      {filter.request && (
        <Actions>
          <span>Saved at once, by one request</span>
          {all.some(({ canPutBack }) => canPutBack) && (
            <QuietButton onClick={() => void putBackAll()}>Put back all of these changes…</QuietButton>
          )}
          <Small type="button" onClick={() => set("request", "")}>
            Show all changes
          </Small>
        </Actions>
      )}
      {!filter.request && filter.person && filter.from && all.some(({ canPutBack }) => canPutBack) && (
        <Actions>
          <QuietButton onClick={() => void putBackAll()}>
            Put back all of these changes by {person ?? filter.person}…
          </QuietButton>
        </Actions>
      )}
      {failed && <Failed error={failed} again={() => void putBackAll()} />}
      {asked && (
        <PutBack
          asked={asked}
          onClose={(isDone) => {
            setAsked(null);
            if (isDone) chosen.clear();
          }}
        />
      )}
      <Heard>
        {changes.data &&
          (changes.hasNextPage
            ? `The first ${figure(all.length)} changes`
            : `${figure(all.length)} ${all.length === 1 ? "change" : "changes"}`)}
      </Heard>
      {changes.isPending && <Waiting height="60vh" what="Loading changes" />}
      {changes.error && <Failed error={changes.error} again={() => void changes.refetch()} />}
      {changes.data && all.length === 0 && parts.every((part) => part.searchedAll) && (
        <Empty title="No changes">
          {Object.keys(filter).length > 0
            ? "No changes match these filters."
            : "Nothing has been saved through a page yet."}
        </Empty>
      )}
      {all.length > 0 && (
        <Scroll aria-label="Changes" {...held.within}>
          <ChangesTable changes={held.shown} chosen={chosen.ids} onChoose={chosen.choose} />
        </Scroll>
      )}
      <Foot list="changes" held={held} chosen={chosen}>
        <QuietButton onClick={() => setAsked({ entries: [...chosen.ids] })}>Put back…</QuietButton>
      </Foot>
      {changes.hasNextPage && (
        <p style={{ marginTop: "1rem" }}>
          {parts.at(-1)?.searchedAll === false && <>Older entries have not been searched yet. </>}
          <QuietButton onClick={() => void changes.fetchNextPage()} $busy={changes.isFetchingNextPage}>
            {changes.isFetchingNextPage
              ? "Loading…"
              : parts.at(-1)?.searchedAll === false
                ? "Search older entries"
                : "Load earlier changes"}
          </QuietButton>
        </p>
      )}
    </English>
  );
}
