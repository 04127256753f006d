import type { Finding, RecordedRequest } from "@loyal-quill/core";
import type {
  AccountSummary,
  CensusAnswer,
  ChangesAnswer,
  CodeAnswer,
  ConnectionAnswer,
  DatabaseAnswer,
  DraftTrialAnswer,
  EffectAnswer,
  ListTrialAnswer,
  MayAnswer,
  PageFileAnswer,
  PageSummary,
  PersonAnswer,
  Played,
  RecordChangesAnswer,
  RecordChoice,
  RehearsalAnswer,
  ReplayAnswer,
  Replayed,
  RequestSums,
  RequestsAnswer,
  SessionAnswer,
  TableAnswer,
  TrailAnswer,
  VerificationAnswer,
  VersionAnswer,
} from "@loyal-quill/server/api";
import {
  keepPreviousData,
  type QueryClient,
  replaceEqualDeep,
  useInfiniteQuery,
  useQuery,
} from "@tanstack/react-query";
import { useRef, useSyncExternalStore } from "react";
import { ask, keepSession, signedOut } from "./client.js";
import { madeOf } from "./made-of.js";
import { outdated } from "./outdated.js";

const search = (values: Readonly<Record<string, string | undefined>>): string =>
  new URLSearchParams(
    Object.entries(values).filter((entry): entry is [string, string] => Boolean(entry[1])),
  ).toString();

/** For what changes without a word of the live feed: whoever goes there asks for it. */
const unheard = { staleTime: 0 };

export const useSession = () =>
  useQuery({
    queryKey: ["session"],
    queryFn: async ({ signal }) => {
      const session = await ask<SessionAnswer>("/session", { signal });
      keepSession(session);
      return session;
    },
    staleTime: Number.POSITIVE_INFINITY,
    ...madeOf("people"),
  });

/** Whether the session has ended. */
export const useSignedOut = (): boolean => useSyncExternalStore(signedOut.subscribe, signedOut.get);

/** Whether the server has another version of the workbench by now. */
export const useOutdated = (): boolean => useSyncExternalStore(outdated.subscribe, outdated.get);

/** What a page file can say: it changes with the server only. */
export const usePageFile = () =>
  useQuery({
    queryKey: ["page-file"],
    queryFn: ({ signal }) => ask<PageFileAnswer>("/page-file", { signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const usePages = () =>
  useQuery({
    queryKey: ["pages"],
    queryFn: ({ signal }) => ask<PageSummary[]>("/pages", { signal }),
    ...madeOf("requests", "files", "drafts"),
  });

export const useAccounts = () =>
  useQuery({
    queryKey: ["accounts"],
    queryFn: ({ signal }) => ask<AccountSummary[]>("/accounts", { signal }),
    ...madeOf("people"),
    ...unheard,
  });

/** The newest recorded requests, of one page or operation where named. */
export const useRequests = (of: { page?: string; operation?: string } = {}) =>
  useQuery({
    queryKey: ["requests", of],
    queryFn: ({ signal }) => ask<RecordedRequest[]>(`/requests/newest?${search(of)}`, { signal }),
    ...madeOf("requests"),
  });

/** What of the kept requests is shown. */
export type RequestFilter = Readonly<
  Partial<Record<"page" | "person" | "outcome" | "step" | "record" | "field" | "slower" | "text" | "days", string>>
>;

/** Recorded requests, newest first, in parts. */
export const useToldRequests = (filter: RequestFilter) =>
  useInfiniteQuery({
    queryKey: ["requests", "told", filter],
    queryFn: ({ pageParam, signal }) =>
      ask<RequestsAnswer>(`/requests?${search({ ...filter, before: pageParam || undefined })}`, { signal }),
    initialPageParam: "",
    getNextPageParam: (last) => (last.more ? last.requests.at(-1)?.number : undefined),
    ...madeOf("requests"),
    placeholderData: keepPreviousData,
  });

export const useRequestSums = (filter: RequestFilter) =>
  useQuery({
    queryKey: ["requests", "sums", filter],
    queryFn: ({ signal }) => ask<RequestSums>(`/requests/sums?${search(filter)}`, { signal }),
    ...madeOf("requests"),
    placeholderData: keepPreviousData,
  });

/** The rehearsal of a page that was begun last. */
export const useRehearsal = (page: string) =>
  useQuery({
    queryKey: ["rehearsal", page],
    queryFn: ({ signal }) => ask<RehearsalAnswer | null>(`/drafts/${encodeURIComponent(page)}/rehearsal`, { signal }),
    refetchInterval: ({ state }) => (state.data?.state === "running" ? 1500 : false),
  });

/** One of its cases, with its evidence. */
export const useRehearsedCase = (page: string, id: string | null, begun: string | undefined) =>
  useQuery({
    queryKey: ["rehearsal", page, "case", id, begun],
    enabled: id !== null && begun !== undefined,
    queryFn: ({ signal }) =>
      ask<Played>(`/drafts/${encodeURIComponent(page)}/rehearsal/${encodeURIComponent(id ?? "")}`, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** What was played again last on a page's draft. */
export const useReplay = (page: string) =>
  useQuery({
    queryKey: ["replay", page],
    queryFn: ({ signal }) => ask<ReplayAnswer | null>(`/drafts/${encodeURIComponent(page)}/replay`, { signal }),
    refetchInterval: ({ state }) => (state.data?.state === "running" ? 1500 : false),
  });

/** What one of them came to, in full. */
export const useReplayed = (page: string, id: string | null, begun: string | undefined) =>
  useQuery({
    queryKey: ["replay", page, "request", id, begun],
    enabled: id !== null && begun !== undefined,
    queryFn: ({ signal }) => ask<Replayed>(`/drafts/${encodeURIComponent(page)}/replay/${id}`, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useRequest = (id: string | undefined) =>
  useQuery({
    queryKey: ["request", id],
    enabled: id !== undefined,
    queryFn: ({ signal }) => ask<RecordedRequest>(`/requests/${id}`, { signal }),
    staleTime: Number.POSITIVE_INFINITY,
  });

/**
 * What is found of a page's records, by a text of the page that has no errors. Where the server has another one by now, with errors, nothing is found by
 * that, and what was found last stays.
 */
const byPage = <Found extends readonly unknown[]>(
  key: readonly unknown[],
  path: string,
  hasErrors: (found: Found | null) => boolean = (found) => found === null,
) => ({
  queryKey: key,
  queryFn: async ({ signal, client }: { signal: AbortSignal; client: QueryClient }): Promise<Found | null> => {
    const found = await ask<Found | null>(path, { signal });
    return hasErrors(found) ? (client.getQueryData<Found>(key) ?? null) : found;
  },
  gcTime: 5000,
});

/** Records whose key or title contains a text. @param kept the page's text as the server has it: it finds and names them by that */
export const useRecords = (page: string, kept: string, text: string, enabled = true) =>
  useQuery({
    ...byPage<RecordChoice[]>(
      ["records", page, kept, text],
      `/pages/${encodeURIComponent(page)}/records?${search({ q: text })}`,
    ),
    enabled,
    placeholderData: keepPreviousData,
    ...madeOf("rows", "files"),
  });

/** What a record is tried with: which one, as whom, and what its form sends. */
interface Trying {
  readonly key: readonly string[] | undefined;
  readonly as: string | undefined;
  /** What the form sends; undefined opens the record. */
  readonly form: string | undefined;
  /** Whether there is no record, so that the form of a new one is looked at. */
  readonly fresh: boolean;
}

/** What a page's text comes to, and what it does with a record. The server chooses the person where none is named. */
export function useTrial(page: string, text: string | undefined, trying: Trying) {
  // What is as it was in the last answer is the same object: what shows it needs not be rendered again.
  const last = useRef<DraftTrialAnswer>(undefined);
  return useQuery({
    queryKey: ["trial", page, text, trying],
    enabled: text !== undefined,
    queryFn: async ({ signal }) => {
      const body = { text, ...trying };
      const path = `/drafts/${encodeURIComponent(page)}/trial`;
      const answer = await ask<DraftTrialAnswer>(path, { method: "POST", body, signal });
      last.current = replaceEqualDeep(last.current, answer);
      return last.current;
    },
    structuralSharing: false,
    placeholderData: keepPreviousData,
    gcTime: 5000,
    ...madeOf("rows", "files", "people"),
  });
}

/** A part of the list that a page's text comes to, as somebody would see it; null where the page has errors. */
export const useListTrial = (
  page: string,
  text: string,
  asked: { readonly as: string | undefined; readonly query: Readonly<Record<string, string>> },
) =>
  useQuery({
    queryKey: ["list", page, text, asked],
    queryFn: ({ signal }) =>
      ask<ListTrialAnswer | null>(`/drafts/${encodeURIComponent(page)}/list`, {
        method: "POST",
        body: { text, ...asked },
        signal,
      }),
    placeholderData: keepPreviousData,
    gcTime: 5000,
    ...madeOf("rows", "files", "people"),
  });

/** The page that a text comes to as plain code. */
export const useCode = (page: string, text: string) =>
  useQuery({
    queryKey: ["code", page, text],
    queryFn: ({ signal }) =>
      ask<CodeAnswer | null>(`/drafts/${encodeURIComponent(page)}/code`, { method: "POST", body: { text }, signal }),
    gcTime: 5000,
    ...madeOf("files"),
  });

export const useVersions = (page: string) =>
  useQuery({
    queryKey: ["versions", page],
    queryFn: ({ signal }) => ask<VersionAnswer[]>(`/drafts/${encodeURIComponent(page)}/versions`, { signal }),
    ...madeOf("files", "drafts"),
  });

/** The first record that somebody sees; null where they see none. */
export const useFirstRecord = (page: string, kept: string, as: string | undefined, enabled: boolean) =>
  useQuery({
    ...byPage<readonly string[]>(
      ["first", page, kept, as],
      `/pages/${encodeURIComponent(page)}/first?${search({ as })}`,
      (found) => found?.length === 0,
    ),
    enabled,
    // Of the text before, as long as it is looked for through the same eyes.
    placeholderData: (last, query) => (query?.queryKey[3] === as ? last : undefined),
    ...madeOf("rows", "files", "people"),
  });

export const useExtremes = (page: string, kept: string) =>
  useQuery({
    ...byPage<RecordChoice[]>(["extremes", page, kept], `/pages/${encodeURIComponent(page)}/extremes`),
    placeholderData: keepPreviousData,
    ...madeOf("rows", "files"),
  });

/** All databases, their connections tested. */
export const useDatabases = () =>
  useQuery({
    queryKey: ["databases"],
    queryFn: ({ signal }) => ask<ConnectionAnswer[]>("/databases", { signal }),
    ...unheard,
  });

export const useDatabase = () =>
  useQuery({
    queryKey: ["database"],
    queryFn: ({ signal }) => ask<DatabaseAnswer>("/database", { signal }),
    ...madeOf("files", "drafts"),
  });

export const useTable = (table: string) =>
  useQuery({
    queryKey: ["database", table],
    queryFn: ({ signal }) => ask<TableAnswer>(`/database/${encodeURIComponent(table)}`, { signal }),
    ...madeOf("files", "drafts"),
  });

/** For whom publishing changes what they may do. */
export const useEffects = (page: string, revision: number) =>
  useQuery({
    queryKey: ["effects", page, revision],
    queryFn: ({ signal }) => ask<EffectAnswer[]>(`/drafts/${encodeURIComponent(page)}/effects`, { signal }),
    gcTime: 0,
    ...madeOf("files", "people"),
  });

export const usePeople = () =>
  useQuery({
    queryKey: ["people"],
    queryFn: ({ signal }) => ask<PersonAnswer[]>("/people", { signal }),
    ...madeOf("people"),
    ...unheard,
  });

export const useMay = (id: string) =>
  useQuery({
    queryKey: ["may", id],
    queryFn: ({ signal }) => ask<MayAnswer[]>(`/people/${encodeURIComponent(id)}/may`, { signal }),
    ...madeOf("people", "files"),
    ...unheard,
  });

/** What the stored rows say of a page's text: asked a moment after it has come to rest. */
export const useRowReview = (page: string, text: string) =>
  useQuery({
    queryKey: ["row-review", page, text],
    queryFn: async ({ signal }) => {
      await new Promise((resolve) => setTimeout(resolve, 700));
      if (signal.aborted) return [];
      return ask<Finding[]>(`/drafts/${encodeURIComponent(page)}/review`, { method: "POST", body: { text }, signal });
    },
    // What was found stays until it is known what is found now: it would only jump.
    placeholderData: keepPreviousData,
    gcTime: 5000,
    // Of the rows as well, but to look at all of them after each save is too much.
    ...madeOf("files"),
  });

export const useCensus = (page: string) =>
  useQuery({
    queryKey: ["census", page],
    queryFn: ({ signal }) => ask<CensusAnswer | null>(`/drafts/${encodeURIComponent(page)}/census`, { signal }),
    // The feed tells of progress; this is for when that is disconnected.
    refetchInterval: ({ state }) => (state.data?.state === "running" ? 1500 : false),
  });

export interface ChangeFilter {
  readonly page?: string;
  readonly person?: string;
  readonly field?: string;
  readonly value?: string;
  readonly from?: string;
  readonly to?: string;
  readonly way?: string;
  readonly containing?: string;
  /** The number of the request that saved them. */
  readonly request?: string;
}

/** Changes, newest first, in parts of fifty. */
/** What of the trail is shown. */
interface TrailFilter {
  readonly action?: string;
  readonly person?: string;
}

export const useTrail = (filter: TrailFilter) =>
  useInfiniteQuery({
    queryKey: ["trail", filter],
    queryFn: ({ pageParam, signal }) =>
      ask<TrailAnswer>(`/trail?${search({ ...filter, before: pageParam || undefined })}`, { signal }),
    initialPageParam: "",
    getNextPageParam: (last) => (last.more ? last.entries.at(-1)?.id : undefined),
    placeholderData: keepPreviousData,
    ...unheard,
  });

export const useChanges = (filter: ChangeFilter) =>
  useInfiniteQuery({
    queryKey: ["changes", filter],
    queryFn: ({ pageParam, signal }) =>
      ask<ChangesAnswer>(`/changes?${changeSearch({ ...filter, before: pageParam || undefined })}`, { signal }),
    initialPageParam: "",
    getNextPageParam: (last) => last.before ?? undefined,
    placeholderData: keepPreviousData,
    ...madeOf("rows", "files"),
    ...unheard,
  });

/** The query of a search in the change log. */
export const changeSearch = (filter: ChangeFilter & { readonly before?: string | undefined }): string =>
  search({ ...filter });

export const useRecordChanges = (table: string, key: string, entry: string) =>
  useQuery({
    queryKey: ["changes", "record", table, key, entry],
    queryFn: ({ signal }) => ask<RecordChangesAnswer>(`/changes/record?${search({ table, key, entry })}`, { signal }),
    ...madeOf("rows"),
    ...unheard,
  });

/** How the log was last found; asked again each second while it is verified. */
export const useVerification = () =>
  useQuery({
    queryKey: ["verification"],
    queryFn: ({ signal }) => ask<VerificationAnswer>("/changes/verification", { signal }),
    refetchInterval: ({ state }) => (state.data?.run?.state === "running" ? 1000 : false),
  });
