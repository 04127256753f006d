import type { ChangeAnswer } from "@loyal-quill/server/api";
import { useDeferredValue, useEffect } from "react";
import { Input, Label, SearchField } from "react-aria-components";
import { useSearchParams } from "react-router";
import { styled } from "styled-components";
import { type ChangeFilter, useChanges, usePages } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { English } from "../parts/english.js";
import { Empty, Failed, QuietButton, Waiting } from "../parts/states.js";
import { Title } from "../parts/title.js";
import { ChangesTable } from "./changes-table.js";

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
  const [search, setSearch] = useSearchParams();
  const filter = filterOf(search);
  const deferred = useDeferredValue(filter.containing);
  const changes = useChanges({ ...filter, ...(deferred === undefined ? {} : { containing: deferred }) });
  const pages = usePages();
  useEffect(() => {
    document.title = "Changes · Loyal Quill";
  }, []);
  const set = (name: string, value: string): void =>
    setSearch(
      (before) => {
        const after = new URLSearchParams(before);
        if (value) after.set(name, value);
        else after.delete(name);
        return after;
      },
      { replace: true },
    );
  const parts = changes.data?.pages ?? [];
  const all: readonly ChangeAnswer[] = parts.flatMap((part) => part.changes);
  const names = [...new Set([...(pages.data ?? []).map((page) => page.name), ...all.map((change) => change.page)])];
  return (
    <English>
      <Top>
        <Title>Changes</Title>
        <SearchField value={filter.containing ?? ""} onChange={(value) => set("containing", value)}>
          <Label>Contains</Label>
          <Input />
        </SearchField>
        <Choice
          label="Page"
          value={filter.page ?? ""}
          options={[{ id: "", text: "all pages" }, ...names.map((id) => ({ id, text: id }))]}
          onChange={(value) => set("page", value)}
        />
        <Choice
          label="Person"
          value={filter.person ?? ""}
          options={[
            { id: "", text: "everybody" },
            ...(parts[0]?.people ?? (filter.person ? [filter.person] : [])).map((id) => ({ id, text: id })),
          ]}
          onChange={(value) => set("person", value)}
        />
      </Top>
      {changes.isPending && <Waiting height="60vh" what="Loading changes" />}
      {changes.error && <Failed error={changes.error} again={() => void changes.refetch()} />}
      {changes.data && all.length === 0 && (
        <Empty title="No changes">
          {Object.keys(filter).length > 0
            ? "No changes match these filters."
            : "Nothing has been saved through a page yet."}
        </Empty>
      )}
      {all.length > 0 && <ChangesTable changes={all} onContaining={(text) => set("containing", text)} />}
      {changes.hasNextPage && (
        <p style={{ marginTop: "1rem" }}>
          <QuietButton onClick={() => void changes.fetchNextPage()} disabled={changes.isFetchingNextPage}>
            {changes.isFetchingNextPage ? "Loading…" : "Load earlier changes"}
          </QuietButton>
        </p>
      )}
    </English>
  );
}
