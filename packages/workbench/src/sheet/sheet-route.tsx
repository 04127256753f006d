import { isSaving, openSteps, type RecordedRequest, type StepName, saveSteps } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import { lazy, Suspense, useEffect, useMemo, useState } from "react";
import { Link, useLocation, useParams, useSearchParams } from "react-router";
import { styled } from "styled-components";
import {
  useAccounts,
  useFirstRecord,
  useRecords,
  useRequest,
  useRequests,
  useRowReview,
  useSession,
  useTrial,
} from "../api/queries.js";
import { useCommands } from "../palette/commands.js";
import { Choice } from "../parts/choice.js";
import { Small } from "../parts/inputs.js";
import { Empty, Failed, Waiting } from "../parts/states.js";
import { Tabs } from "../parts/tabs.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { useNarrow } from "../parts/use-narrow.js";
import type { ChosenStep } from "../round-trip/round-trip.js";
import { TripLines } from "../round-trip/trip-lines.js";
import { DraftBar } from "./draft-bar.js";
import { EditPanel } from "./edit-panel.js";
import { Neighbours } from "./neighbours.js";
import { Notices } from "./notices.js";
import { RecordChoice } from "./record-choice.js";
import { type Editing, EditingContext, readContent, useEditingSource } from "./settings.js";
import { type ColumnName, columnNames, SheetColumns } from "./sheet-columns.js";
import { useSheetCommands } from "./sheet-commands.js";
import { type EditedDraft, useDraft } from "./use-draft.js";
import { type Selection, useSelection } from "./use-selection.js";
import { useUndoKeys } from "./use-undo-keys.js";
import { type View, views } from "./views.js";

const FilePane = lazy(() => import("./file-pane.js"));
const ListPane = lazy(() => import("./list-pane.js"));
const CensusPane = lazy(() => import("./census-pane.js"));
const Statements = lazy(() => import("./statements.js"));
const Versions = lazy(() => import("./versions.js"));

/** As high as the window: what is above the columns never grows, and the columns scroll, not the window. */
const Leaf = styled.div`
  display: flex;
  flex-direction: column;
  height: calc(100dvh - 3.125rem);
  margin-top: ${({ theme }) => `calc(-1 * ${theme.space(2)})`};
  margin-bottom: ${({ theme }) => `calc(-1 * ${theme.space(8)})`};
  > * { flex-shrink: 0; }
  @media (max-width: 999px) { height: auto; min-height: calc(100dvh - 3.125rem); }
`;

const Top = styled.div`
  display: flex;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(4)}`};
  padding-bottom: ${({ theme }) => theme.space(1)};
  > h1 { flex: 0 1 auto; max-width: 12rem; font-size: 1.25rem; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
  input { width: 11rem; }
  select { max-width: 11rem; }
  @media (max-width: 999px) { flex-wrap: wrap; }
`;

const Record = styled.span`
  display: inline-flex;
  align-items: baseline;
`;

const Bar = styled.div`
  display: flex;
  align-items: baseline;
  gap: ${({ theme }) => `0 ${theme.space(6)}`};
  min-height: 1.875rem;
  > div:last-child { margin-left: auto; }
  a { white-space: nowrap; }
  @media (max-width: 999px) { flex-wrap: wrap; }
`;

const Ways = styled.div`
  display: flex;
  gap: ${({ theme }) => theme.space(4)};
  @media (max-width: 999px) { flex-wrap: wrap; }
`;

/** The columns, and at their right the place where what is selected is edited. */
const Body = styled.div<{ $covers: "left" | "right" | undefined }>`
  display: flex;
  position: relative;
  flex: 1 1 0 !important;
  min-height: 24rem;
  > aside { flex: 0 0 24rem; ${({ theme, $covers }) => $covers && `position: absolute; z-index: 3; inset-block: 0; ${$covers}: 0; width: ${$covers === "left" ? 28 : 24}rem; background: ${theme.paper}; border-right: 1px solid ${theme.edge};`} }
  @media (max-width: 999px) { > aside { flex: 1 1 0; border: 0; padding-left: 0; } }
`;

const { rules: _rules, page: _page, ...panes } = views;
/** Where there is room for one column only: the columns and the panes, side by side. */
const aloneTabs = { ...columnNames, ...panes };
const isColumn = (name: keyof typeof aloneTabs): name is ColumnName => Object.hasOwn(columnNames, name);

const sameKey = (a: readonly string[] | null | undefined, b: readonly string[] | null | undefined): boolean =>
  Boolean(a && b && a.length === b.length && a.every((part, index) => part === b[index]));

/** The key that the Sheet looks at: the one chosen, that of the chosen request, the last one asked for, or the first record. */
function useKey(
  name: string,
  search: URLSearchParams,
  asked: RecordedRequest | undefined,
): { readonly key: readonly string[] | undefined; readonly isPending: boolean } {
  const requests = useRequests({ page: name });
  const records = useRecords(name, "");
  const first = useFirstRecord(name, search.get("as") ?? undefined);
  const chosen = search.getAll("key");
  if (chosen.length > 0) return { key: chosen, isPending: false };
  // A new record that was not made has no key: the Sheet shows another record below it.
  if (search.has("request") && (!asked || asked.key)) return { key: asked?.key ?? undefined, isPending: !asked };
  const last = requests.data?.find((request) => request.key !== null && request.outcome !== "not-found");
  if (last?.key) return { key: last.key, isPending: false };
  const isPending = requests.isPending || first.isPending || records.isPending;
  // Somebody who sees no record is shown what they get for one.
  const found = first.data && first.data.length > 0 ? first.data : records.data?.[0]?.key;
  return { key: isPending ? undefined : found, isPending };
}

/** The Sheet of one page: the round trip on top, then table, real page and rules line by line, at the foot the statements. */
export default function SheetRoute() {
  const { name = "" } = useParams();
  return <SheetOf key={name} name={name} />;
}

function SheetOf({ name }: { name: string }) {
  const draft = useDraft(name);
  useDocumentTitle(name);
  if (draft.text !== undefined) return <Sheet name={name} draft={draft} text={draft.text} />;
  return draft.error ? (
    <>
      <Title>{name}</Title>
      <Failed error={draft.error} again={draft.reload} />
    </>
  ) : (
    <Waiting height="80vh" what="Loading page" />
  );
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

function Sheet({ name, draft, text }: { name: string; draft: EditedDraft; text: string }) {
  const [search, setSearch] = useSearchParams();
  const { state } = useLocation() as { state: { readonly form?: string } | null };
  const [picked, setPicked] = useState<ChosenStep | undefined>(() => askedStep(search.get("step"), state?.form));
  const [view, setView] = useState<View>("rules");
  const [form, setForm] = useState<string | undefined>(state?.form);
  const [listed, setListed] = useState<RecordedRequest>();
  const requestId = search.get("request") ?? undefined;
  const as = search.get("as") ?? undefined;
  const asked = useRequest(requestId);
  const { key, isPending: isLooking } = useKey(name, search, asked.data);
  const isEmpty = key === undefined && !isLooking;
  const answer = useTrial(name, text, { key, as, form, fresh: isEmpty });
  const trial = answer.data?.trial ?? undefined;
  const sheet = useSound(name, text, answer.data?.sheet);
  const shownTrial = useLast(trial);
  const saves = useRequests({ page: name, operation: "save" });
  const accounts = useAccounts();
  const session = useSession();
  const content = useMemo(() => readContent(text), [text]);
  const people = useMemo(() => (accounts.data ?? []).filter((account) => account.active), [accounts.data]);
  const editing: Editing = useMemo(
    () => ({
      page: name,
      text,
      content,
      edit: draft.edit,
      recordKey: key,
      names: [
        ...sheet.fields.flatMap(({ name: column, type }) => [
          { name: column, type, of: "row" as const },
          { name: column, type, of: "form" as const },
        ]),
        ...(session.data?.actorNames ?? []).map((each) => ({ ...each, of: "actor" as const })),
      ],
    }),
    [name, text, content, draft.edit, key, sheet.fields, session.data],
  );
  const source = useEditingSource(editing);
  const order = sheet.fields.filter((field) => field.onPage).map((field) => field.name);
  const selection = useSelection(order, draft.edit);
  useUndoKeys(draft);
  const [isPublishing, setPublishing] = useState(false);
  const [isPublished, setPublished] = useState(false);
  useCommands(
    useSheetCommands({
      sheet,
      content,
      recordAddress: shownTrial?.address,
      edit: draft.edit,
      pick: (step) => pick(step),
      choose: (names) => select.choose(names),
      view: setView,
      publish: () => setPublishing(true),
      draft,
      people,
      viewAs: (id) => choose({ as: [id], ...(key ? { key } : {}) }),
      selected: selection.names,
    }),
  );

  const rowReview = useRowReview(name, text);
  const findings = [...(answer.data?.sheet.findings ?? []), ...(rowReview.data ?? [])];
  const saving = asked.data !== undefined && isSaving(asked.data.operation);
  const tried = trial && isSaving(trial.recorded.operation) ? trial.recorded : undefined;
  const open = asked.data && !saving ? asked.data : tried ? undefined : trial?.recorded;
  const save = tried ?? (saving ? asked.data : saves.data?.find((request) => sameKey(request.key, key)));
  const lastOpen = useLast(open);
  const shownOpen = view === "list" && listed ? listed : lastOpen;
  const choose = (values: Record<string, readonly string[]>): void => {
    setForm(undefined);
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
  const eyes = shownTrial?.recorded.actor;
  const pane =
    view === "rules" || view === "page" ? undefined : (
      <Suspense fallback={<Waiting height="30rem" what="Opening" />}>
        {view === "file" && (
          <FilePane name={name} text={text} findings={findings} sheet={sheet} onChange={draft.write} />
        )}
        {view === "list" && <ListPane page={name} text={text} as={as} onTrip={setListed} />}
        {view === "census" && <CensusPane name={name} text={text} />}
        {view === "statements" && <Statements open={shownOpen} save={tried} sheet={sheet} />}
        {view === "versions" && <Versions name={name} text={text} draft={draft} />}
      </Suspense>
    );
  const isNarrow = useNarrow();
  const [column, setColumn] = useState<ColumnName>("page");
  const alone = isNarrow ? column : undefined;
  const select: Selection = {
    ...selection,
    choose: (names) => {
      if (names.length > 0) setPicked(undefined);
      selection.choose(names);
    },
  };
  const pick = (step: ChosenStep | undefined): void => {
    if (step) {
      selection.choose([]);
      setColumn("edit");
    }
    setPicked(step);
  };
  const failures = [
    ...(requestId && asked.error ? [{ error: asked.error, again: () => void asked.refetch() }] : []),
    ...(answer.error ? [{ error: answer.error, again: () => void answer.refetch() }] : []),
  ];
  const hasPanel = alone === undefined ? view === "rules" || picked !== undefined : alone === "edit";
  // Beside a pane it covers the page, which is not what is looked at there; beside the page alone a part of it.
  const covers = view === "rules" ? undefined : view === "page" ? "right" : "left";
  const file = (
    <Suspense fallback={<Waiting height="30rem" what="Opening" />}>
      <FilePane name={name} text={text} findings={sheet.findings} sheet={sheet} onChange={draft.write} />
    </Suspense>
  );
  return (
    <EditingContext.Provider value={source}>
      <Leaf>
        <Top>
          <Title title={`${sheet.plural} at ${sheet.path}, table ${sheet.table}`}>{sheet.plural}</Title>
          <Record>
            <RecordChoice page={name} chosen={key} onChoose={(next) => choose({ key: next })} />
            {key && <Neighbours page={name} from={key} onChoose={(next) => choose({ key: next })} />}
          </Record>
          <Choice
            label="View as"
            value={eyes?.id ?? ""}
            options={people.map((account) => ({
              id: account.id,
              text: `${account.name}, ${account.roles.join(", ")}`,
            }))}
            onChange={(id) => choose({ as: [id], ...(key ? { key } : {}) })}
          />
          <DraftBar
            draft={draft}
            sheet={sheet}
            isOpen={isPublishing}
            setOpen={setPublishing}
            onPublished={() => setPublished(true)}
          />
        </Top>
        <TripLines
          open={shownOpen}
          save={save}
          chosen={picked}
          onChoose={pick}
          saved={tried && <Tried leadsTo={trial?.leadsTo ?? null} onReload={() => setForm(undefined)} />}
        />
        <Bar>
          {alone === undefined ? (
            <Tabs label="Beside the page" tabs={views} chosen={view} onChoose={setView} />
          ) : (
            <Tabs
              label="Shown"
              tabs={aloneTabs}
              chosen={view === "rules" || view === "page" ? alone : view}
              onChoose={(each) => {
                setView(isColumn(each) ? "rules" : each);
                if (isColumn(each)) setColumn(each);
              }}
            />
          )}
          <Notices
            draft={draft}
            findings={findings}
            text={text}
            failures={failures}
            isEmpty={isEmpty && shownTrial !== undefined}
            servedAt={isPublished && (draft.answer?.revision ?? 0) === 0 ? sheet.listAddress : null}
          />
          <Ways>
            {key && <Link to={`/changes?containing=${encodeURIComponent(key[0] ?? "")}`}>Change history</Link>}
            <Link to={`/requests?page=${encodeURIComponent(name)}`}>Requests</Link>
            <Link to={`/pages/${encodeURIComponent(name)}/rehearsal`}>Rehearsal</Link>
            {shownTrial && sheet.listAddress && <a href={key ? shownTrial.address : sheet.listAddress}>Served page</a>}
          </Ways>
        </Bar>
        <Body $covers={alone === undefined ? covers : undefined}>
          {shownTrial && alone !== "edit" && (alone === undefined || pane === undefined) ? (
            <SheetColumns
              sheet={sheet}
              trial={shownTrial}
              save={save}
              selection={select}
              onSend={(sent) => key && setForm(sent)}
              view={view}
              pane={pane}
              alone={alone}
            />
          ) : shownTrial ? (
            (pane ?? null)
          ) : answer.isPending || (key === undefined && answer.data?.sheet.version) ? (
            <NoRecord isPending={answer.isPending || isLooking} />
          ) : (
            <section aria-label="The page file">{pane ?? file}</section>
          )}
          {hasPanel && (
            <EditPanel
              sheet={sheet}
              selection={select}
              picked={picked}
              onPick={pick}
              request={picked?.half === "save" ? save : shownOpen}
            />
          )}
        </Body>
      </Leaf>
    </EditingContext.Provider>
  );
}

/** What is said of a trial of a save, after its outcome. */
function Tried({ leadsTo, onReload }: { leadsTo: string | null; onReload: () => void }) {
  return (
    <>
      {" "}
      {leadsTo === null
        ? "Trial, rolled back."
        : `Trial: this save would redirect (303) to ${leadsTo}. It was rolled back.`}{" "}
      <Small type="button" onClick={onReload} title="The trial runs again with every change of the draft.">
        Reload record
      </Small>
    </>
  );
}

function NoRecord({ isPending }: { isPending: boolean }) {
  return isPending ? (
    <Waiting height="30rem" what="Loading record" />
  ) : (
    <Empty title="No records yet">The table is empty, so there is nothing to open.</Empty>
  );
}

/** The last value that was there: nothing on screen goes away while the next one is on its way. */
function useLast<T>(value: T | undefined): T | undefined {
  const [last, setLast] = useState(value);
  useEffect(() => {
    if (value !== undefined) setLast(value);
  }, [value]);
  return value ?? last;
}

/** The step that an address asks for. */
function askedStep(step: string | null, form: string | undefined): ChosenStep | undefined {
  const half = form === undefined ? "open" : "save";
  const steps: readonly string[] = half === "save" ? saveSteps : openSteps;
  return step !== null && steps.includes(step) ? { half, step: step as StepName } : undefined;
}
