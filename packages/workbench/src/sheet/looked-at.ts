import { isSaving, type RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer, TrialAnswer } from "@loyal-quill/server/api";
import { useEffect, useState } from "react";
import { useLocation, useSearchParams } from "react-router";
import { useFirstRecord, useRecords, useRequest, useRequests, useTrial } from "../api/queries.js";
import { readContent } from "./editing/settings.js";

const sameKey = (a: readonly string[] | null | undefined, b: readonly string[] | null | undefined): boolean =>
  Boolean(a && b && a.length === b.length && a.every((part, index) => part === b[index]));

/** The key that the Sheet looks at: the one chosen, that of the chosen request, the last one asked for, or the first record. */
function useKey(
  name: string,
  kept: string,
  search: URLSearchParams,
  asked: RecordedRequest | undefined,
): Pick<LookedAt, "key" | "unfound"> & { readonly isPending: boolean } {
  const requests = useRequests({ page: name });
  const chosen = search.getAll("key");
  const last = requests.data?.find((request) => request.key !== null && request.outcome !== "not-found");
  const isWanted = chosen.length === 0 && !last;
  const records = useRecords(name, kept, "", isWanted);
  const first = useFirstRecord(name, kept, search.get("as") ?? undefined, isWanted);
  const none = { unfound: undefined, isPending: false };
  if (chosen.length > 0) return { ...none, key: chosen };
  // A new record that was not made has no key: the Sheet shows another record below it.
  if (search.has("request") && (!asked || asked.key))
    return { ...none, key: asked?.key ?? undefined, isPending: !asked };
  if (last?.key) return { ...none, key: last.key };
  const isPending = requests.isPending || first.isPending || records.isPending;
  // Somebody who sees no record is shown what they get for one.
  const found = first.data && first.data.length > 0 ? first.data : records.data?.[0]?.key;
  return { key: isPending ? undefined : found, unfound: [first, records].find(({ error }) => error), isPending };
}

const empty: Omit<SheetAnswer, "name" | "text"> = {
  plural: "",
  path: "",
  listAddress: null,
  table: "",
  tableComment: null,
  version: null,
  findings: [],
  fields: [],
  keyColumns: [],
  keys: [],
  access: [],
  checks: [],
  constraints: [],
};

/** What the Sheet shows: the answer to the text now, or while it has errors the last one that had none, with its findings. */
function useSound(name: string, text: string, answered: SheetAnswer | undefined): SheetAnswer {
  const [sound, setSound] = useState<SheetAnswer>();
  useEffect(() => {
    if (answered?.version) setSound(answered);
  }, [answered]);
  if (answered?.version) return answered;
  return {
    ...empty,
    name,
    plural: String(readContent(text)?.plural ?? name),
    ...sound,
    text,
    findings: answered?.findings ?? [],
  };
}

/** The last value that was there: nothing on screen goes away while the next one is on its way. */
function useLast<T>(value: T | undefined): T | undefined {
  const [last, setLast] = useState(value);
  useEffect(() => {
    if (value !== undefined) setLast(value);
  }, [value]);
  return value ?? last;
}

/** What the Sheet looks at: a record, as somebody, by the text that is worked on; and the requests whose steps it shows. */
export interface LookedAt {
  readonly key: readonly string[] | undefined;
  /** Whether the record is still being looked for. */
  readonly isLooking: boolean;
  /** Whether there is no record, so that the form of a new one is shown. */
  readonly isEmpty: boolean;
  /** What could not be asked for to find one: whether there are any is not known then. */
  readonly unfound: ReturnType<typeof useFirstRecord> | ReturnType<typeof useRecords> | undefined;
  readonly as: string | undefined;
  /** The last text without errors that the server had: records are found and named by that. */
  readonly known: string;
  readonly sheet: SheetAnswer;
  /** What is found in the text now. */
  readonly findings: SheetAnswer["findings"];
  readonly answer: ReturnType<typeof useTrial>;
  /** The request that the address asks for. */
  readonly asked: ReturnType<typeof useRequest> | undefined;
  /** The last trial that was answered: it stays while the next one is on its way. */
  readonly trial: TrialAnswer | undefined;
  readonly open: RecordedRequest | undefined;
  readonly save: RecordedRequest | undefined;
  /** The save that is tried, if one is; and where it would lead. */
  readonly tried: RecordedRequest | undefined;
  readonly leadsTo: string | null;
  /** Looks at another record, or as somebody else. */
  readonly choose: (values: Readonly<Record<string, readonly string[]>>) => void;
  /** Tries a save with what the page's form sends; undefined loads the record anew. */
  readonly send: (form: string | undefined) => void;
}

/** @param kept the text as the server has it */
export function useLookedAt(name: string, text: string, kept: string): LookedAt {
  const [search, setSearch] = useSearchParams();
  const { state } = useLocation() as { state: { readonly form?: string } | null };
  const [form, send] = useState<string | undefined>(state?.form);
  const requestId = search.get("request") ?? undefined;
  const as = search.get("as") ?? undefined;
  const asked = useRequest(requestId);
  const [known, setKnown] = useState(kept);
  const { key, unfound, isPending: isLooking } = useKey(name, known, search, asked.data);
  const isWithout = key === undefined && !isLooking;
  const answer = useTrial(name, text, { key, as, form, fresh: isWithout });
  const isSound = !answer.isPlaceholderData && answer.data?.sheet.version != null;
  // A text with errors names no records: what they were called stays.
  if (isSound && text === kept && known !== kept) setKnown(kept);
  const now = answer.data?.trial ?? undefined;
  const trial = useLast(now);
  const saves = useRequests({ page: name, operation: "save" });
  const isSaveAsked = asked.data !== undefined && isSaving(asked.data.operation);
  const tried = now && isSaving(now.recorded.operation) ? now.recorded : undefined;
  const open = useLast(asked.data && !isSaveAsked ? asked.data : tried ? undefined : now?.recorded);
  const choose = (values: Readonly<Record<string, readonly string[]>>): void => {
    send(undefined);
    setSearch((before) => {
      const after = new URLSearchParams(before);
      after.delete("request");
      for (const [field, list] of Object.entries(values)) {
        after.delete(field);
        for (const value of list) if (value) after.append(field, value);
      }
      return after;
    });
  };
  return {
    key,
    isLooking,
    isEmpty: isWithout && !unfound,
    unfound: isWithout ? unfound : undefined,
    as,
    known,
    sheet: useSound(name, text, answer.data?.sheet),
    findings: answer.data?.sheet.findings ?? none,
    answer,
    asked: requestId === undefined ? undefined : asked,
    trial,
    open,
    save: tried ?? (isSaveAsked ? asked.data : saves.data?.find((request) => sameKey(request.key, key))),
    tried,
    leadsTo: now?.leadsTo ?? null,
    choose,
    send,
  };
}

const none: SheetAnswer["findings"] = [];
