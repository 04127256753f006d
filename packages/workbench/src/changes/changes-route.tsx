import type { ChangeAnswer } from "@loyal-quill/server/api";
import { useDeferredValue, useEffect } from "react";
import { Input, Label, SearchField } from "react-aria-components";
import { styled } from "styled-components";
import { type ChangeFilter, useChanges, usePages } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { English } from "../parts/english.js";
import { Empty, Failed, QuietButton, Waiting } from "../parts/states.js";
import { Title } from "../parts/title.js";
import { useFilters } from "../parts/use-filters.js";
import { texts } from "../texts.js";
import { ChangesTable } from "./changes-table.js";

const says = texts.changesRoute;

const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(2)} ${theme.space(6)}`};
  margin-bottom: ${({ theme }) => theme.space(3)};
  label { color: ${({ theme }) => theme.soft}; margin-right: ${({ theme }) => theme.space(2)}; }
  input { border: 1px solid ${({ theme }) => theme.edge}; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; width: 14rem; }
`;

const filterOf = (search: URLSearchParams): ChangeFilter => {
  const of = (name: "page" | "person" | "containing") => {
    const value = search.get(name);
    return value ? { [name]: value } : {};
  };
  return { ...of("page"), ...of("person"), ...of("containing") };
};

/** Changes: who changed what, newest first. */
export default function ChangesRoute() {
  const [search, set] = useFilters();
  const filter = filterOf(search);
  const deferred = useDeferredValue(filter.containing);
  const changes = useChanges({ ...filter, ...(deferred === undefined ? {} : { containing: deferred }) });
  const pages = usePages();
  useEffect(() => {
    document.title = texts.documentTitle(says.changes);
  }, []);
  const parts = changes.data?.pages ?? [];
  const all: readonly ChangeAnswer[] = parts.flatMap((part) => part.changes);
  const names = [...new Set([...(pages.data ?? []).map((page) => page.name), ...all.map((change) => change.page)])];
  return (
    <English>
      <Top>
        <Title>{says.changes}</Title>
        <SearchField value={filter.containing ?? ""} onChange={(value) => set("containing", value)}>
          <Label>{says.contains}</Label>
          <Input />
        </SearchField>
        <Choice
          label={says.page}
          value={filter.page ?? ""}
          options={[{ id: "", text: says.allPages }, ...names.map((id) => ({ id, text: id }))]}
          onChange={(value) => set("page", value)}
        />
        <Choice
          label={says.person}
          value={filter.person ?? ""}
          options={[
            { id: "", text: says.everybody },
            ...(parts[0]?.people ?? (filter.person ? [filter.person] : [])).map((id) => ({ id, text: id })),
          ]}
          onChange={(value) => set("person", value)}
        />
      </Top>
      {changes.isPending && <Waiting height="60vh" what={says.loadingChanges} />}
      {changes.error && <Failed error={changes.error} again={() => void changes.refetch()} />}
      {changes.data && all.length === 0 && (
        <Empty title={says.noChanges}>
          {Object.keys(filter).length > 0 ? says.noChangesMatchTheseFilters : says.nothingHasBeenSavedThroughA}
        </Empty>
      )}
      {all.length > 0 && <ChangesTable changes={all} onContaining={(text) => set("containing", text)} />}
      {changes.hasNextPage && (
        <p style={{ marginTop: "1rem" }}>
          <QuietButton onClick={() => void changes.fetchNextPage()} disabled={changes.isFetchingNextPage}>
            {changes.isFetchingNextPage ? says.loading : says.loadEarlierChanges}
          </QuietButton>
        </p>
      )}
    </English>
  );
}
