import type { RecordedRequest } from "@loyal-quill/core";
import type {
  AccountSummary,
  ChangesAnswer,
  PageSummary,
  RecordChoice,
  SessionAnswer,
  SheetAnswer,
  TrialAnswer,
} from "@loyal-quill/server/api";
import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { ask } from "./client.js";

const search = (values: Readonly<Record<string, string | undefined>>): string =>
  new URLSearchParams(
    Object.entries(values).filter((entry): entry is [string, string] => Boolean(entry[1])),
  ).toString();

export const useSession = () =>
  useQuery({
    queryKey: ["session"],
    queryFn: ({ signal }) => ask<SessionAnswer>("/session", signal),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const usePages = () =>
  useQuery({ queryKey: ["pages"], queryFn: ({ signal }) => ask<PageSummary[]>("/pages", signal) });

export const useSheet = (name: string) =>
  useQuery({
    queryKey: ["sheet", name],
    queryFn: ({ signal }) => ask<SheetAnswer>(`/pages/${encodeURIComponent(name)}`, signal),
  });

export const useAccounts = () =>
  useQuery({ queryKey: ["accounts"], queryFn: ({ signal }) => ask<AccountSummary[]>("/accounts", signal) });

/** The newest recorded requests, of one page or operation where named. */
export const useRequests = (of: { page?: string; operation?: string } = {}) =>
  useQuery({
    queryKey: ["requests", of],
    queryFn: ({ signal }) => ask<RecordedRequest[]>(`/requests?${search(of)}`, signal),
  });

export const useRequest = (id: string | undefined) =>
  useQuery({
    queryKey: ["request", id],
    enabled: id !== undefined,
    queryFn: ({ signal }) => ask<RecordedRequest>(`/requests/${id}`, signal),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useRecords = (page: string, text: string) =>
  useQuery({
    queryKey: ["records", page, text],
    queryFn: ({ signal }) =>
      ask<RecordChoice[]>(`/pages/${encodeURIComponent(page)}/records?${search({ q: text })}`, signal),
    placeholderData: keepPreviousData,
  });

/** A page opened on a record as somebody. The server chooses the person where none is named. */
export const useTrial = (page: string, key: readonly string[] | undefined, as: string | undefined) =>
  useQuery({
    queryKey: ["trial", page, key, as],
    enabled: key !== undefined,
    queryFn: ({ signal }) =>
      ask<TrialAnswer>(
        `/pages/${encodeURIComponent(page)}/trial?${new URLSearchParams([...(key ?? []).map((part) => ["key", part]), ...(as ? [["as", as]] : [])])}`,
        signal,
      ),
    placeholderData: keepPreviousData,
  });

export interface ChangeFilter {
  readonly page?: string;
  readonly person?: string;
  readonly containing?: string;
}

/** Changes, newest first, in parts of fifty. */
export const useChanges = (filter: ChangeFilter) =>
  useInfiniteQuery({
    queryKey: ["changes", filter],
    queryFn: ({ pageParam, signal }) =>
      ask<ChangesAnswer>(`/changes?${search({ ...filter, before: pageParam || undefined })}`, signal),
    initialPageParam: "",
    getNextPageParam: (last) => (last.more ? last.changes.at(-1)?.id : undefined),
    placeholderData: keepPreviousData,
  });
