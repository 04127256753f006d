import { openSteps, type RecordedRequest, type StepName, saveSteps } from "@loyal-quill/core";
import { type ReactNode, Suspense, useMemo, useState } from "react";
import { Link, useLocation, useParams, useSearchParams } from "react-router";
import { useAccounts, useRowReview, useSession } from "../api/queries.js";
import { useCommands } from "../palette/commands.js";
import { Choice } from "../parts/choice.js";
import { requestFocus } from "../parts/focus-request.js";
import { Small } from "../parts/inputs.js";
import { Moment } from "../parts/moment.js";
import { part } from "../parts/part.js";
import { Empty, Failed, Waiting } from "../parts/states.js";
import { Tabs } from "../parts/tabs.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { useNarrow } from "../parts/use-narrow.js";
import type { ChosenStep } from "../round-trip/round-trip.js";
import { halfOf, TripLines } from "../round-trip/trip-lines.js";
import { type ColumnName, columnNames, SheetColumns } from "./columns/sheet-columns.js";
import { type View, views } from "./columns/views.js";
import { DraftBar } from "./draft/draft-bar.js";
import { type EditedDraft, useDraft } from "./draft/use-draft.js";
import { useImport } from "./draft/use-import.js";
import { useUndoKeys } from "./draft/use-undo-keys.js";
import { EditPanel } from "./edit-panel.js";
import {
  type Editing,
  EditingContext,
  type Found,
  foundByStep,
  readContent,
  settingsOfField,
  stepHead,
  useEditingSource,
} from "./editing/settings.js";
import { useFound } from "./editing/use-found.js";
import { type Selection, useSelection } from "./editing/use-selection.js";
import { type LookedAt, useLookedAt } from "./looked-at.js";
import { Notices } from "./notices.js";
import { Neighbours } from "./record/neighbours.js";
import { RecordChoice } from "./record/record-choice.js";
import { useSheetCommands } from "./sheet-commands.js";
import { Bar, Body, Leaf, Record, Top, Ways } from "./sheet-frame.js";

const FilePane = part(() => import("./panes/file-pane.js"));
const ListPane = part(() => import("./panes/list-pane.js"));
const CensusPane = part(() => import("./panes/census-pane.js"));
const Statements = part(() => import("./panes/statements.js"));
const Versions = part(() => import("./draft/versions.js"));

const { rules: _rules, page: _page, ...panes } = views;
/** Where there is room for one column only: the columns and the panes, side by side. */
const aloneTabs = { ...columnNames, ...panes };
const isColumn = (name: keyof typeof aloneTabs): name is ColumnName => Object.hasOwn(columnNames, name);

/** The Sheet of one page: the round trip on top, then table, real page and rules line by line, at the foot the statements. */
export default function SheetRoute() {
  const { name = "" } = useParams();
  return <SheetOf key={name} name={name} />;
}

function SheetOf({ name }: { name: string }) {
  const draft = useDraft(name);
  useImport(draft);
  useDocumentTitle(name);
  if (draft.text !== undefined) return <Sheet name={name} draft={draft} text={draft.text} />;
  return draft.error ? (
    <>
      <Title>{name}</Title>
      <Failed error={draft.error} again={draft.reload} />
    </>
  ) : (
    <Waiting height="80vh" what="Loading page" isPlace />
  );
}

interface SheetProps {
  readonly name: string;
  readonly draft: EditedDraft;
  readonly text: string;
}

function Sheet({ name, draft, text }: SheetProps) {
  const at = useLookedAt(name, text, draft.kept);
  const rowReview = useRowReview(name, text);
  const findings = useMemo(() => [...at.findings, ...(rowReview.data ?? [])], [at.findings, rowReview.data]);
  const editing = useEditingOf({ name, draft, text }, at, useFound(text, findings, at.sheet));
  const source = useEditingSource(editing);
  useUndoKeys(draft);
  const place = usePlace(draft, at);
  const [isPublishing, setPublishing] = useState(false);
  const [isPublished, setPublished] = useState(false);
  const accounts = useAccounts();
  const people = useMemo(() => (accounts.data ?? []).filter((account) => account.active), [accounts.data]);
  const viewAs = (id: string): void => at.choose({ as: [id], ...(at.key ? { key: at.key } : {}) });
  useCommands(
    useSheetCommands({
      sheet: at.sheet,
      content: editing.content,
      recordAddress: at.trial?.address,
      edit: draft.edit,
      pick: place.pick,
      choose: place.selection.choose,
      view: place.setView,
      publish: () => setPublishing(true),
      draft,
      people,
      viewAs,
      selected: place.selection.names,
    }),
  );
  const { sheet, key } = at;
  const failed = [at.asked, at.answer, at.unfound].flatMap((query) =>
    query?.error ? [{ error: query.error, again: () => void query.refetch() }] : [],
  );
  // Several may be refused for the same reason: it is told once.
  const failures = failed.filter(
    ({ error }, index) => failed.findIndex((each) => each.error.message === error.message) === index,
  );
  return (
    <EditingContext.Provider value={source}>
      <Leaf>
        <Top>
          <Title title={`${sheet.plural} at ${sheet.path}, table ${sheet.table}`}>{sheet.plural}</Title>
          <Record>
            <RecordChoice page={name} kept={at.known} chosen={key} onChoose={(next) => at.choose({ key: next })} />
            {key && <Neighbours page={name} from={key} onChoose={(next) => at.choose({ key: next })} />}
          </Record>
          <Choice
            label="View as"
            value={at.trial?.recorded.actor?.id ?? ""}
            options={people.map((account) => ({
              id: account.id,
              text: `${account.name}, ${account.roles.join(", ")}`,
            }))}
            onChange={viewAs}
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
          open={place.openShown}
          save={at.save}
          chosen={place.picked}
          onChoose={place.pick}
          found={foundByStep(editing.found)}
          saved={
            at.tried ? (
              <Tried leadsTo={at.leadsTo} onReload={() => at.send(undefined)} />
            ) : (
              at.save && <OfRecord request={at.save} />
            )
          }
        />
        <Bar>
          <PlaceTabs place={place} />
          <Notices
            draft={draft}
            found={editing.found}
            text={text}
            failures={failures}
            isEmpty={at.isEmpty && at.trial !== undefined}
            servedAt={isPublished && (draft.answer?.revision ?? 0) === 0 ? sheet.listAddress : null}
            onGo={place.goTo}
          />
          <Ways>
            {key && <Link to={`/changes?containing=${encodeURIComponent(key[0] ?? "")}`}>Change history</Link>}
            <Link to={`/requests?page=${encodeURIComponent(name)}`}>Requests</Link>
            <Link to={`/pages/${encodeURIComponent(name)}/rehearsal`}>Rehearsal</Link>
            {at.trial && sheet.listAddress && <a href={key ? at.trial.address : sheet.listAddress}>Served page</a>}
          </Ways>
        </Bar>
        <SheetBody name={name} draft={draft} text={text} at={at} place={place} found={editing.found} />
      </Leaf>
    </EditingContext.Provider>
  );
}

/** What everything beside the page edits. */
function useEditingOf({ name, draft, text }: SheetProps, at: LookedAt, found: readonly Found[]): Editing {
  const session = useSession();
  const content = useMemo(() => readContent(text), [text]);
  const { as } = at;
  const { fields } = at.sheet;
  const actorNames = session.data?.actorNames;
  const names: Editing["names"] = useMemo(
    () => [
      ...fields.flatMap(({ name: column, type }) => [
        { name: column, type, of: "row" as const },
        { name: column, type, of: "form" as const },
      ]),
      ...(actorNames ?? []).map((each) => ({ ...each, of: "actor" as const })),
    ],
    [fields, actorNames],
  );
  return useMemo(
    () => ({ page: name, text, content, edit: draft.edit, write: draft.write, recordKey: at.key, as, names, found }),
    [name, text, content, draft.edit, draft.write, at.key, as, names, found],
  );
}

/** What stands beside the page, and what is selected to be edited. */
interface Place {
  readonly view: View;
  readonly setView: (view: View) => void;
  /** The one column that there is room for; undefined where there is room for all. */
  readonly alone: ColumnName | undefined;
  readonly setColumn: (column: ColumnName) => void;
  readonly selection: Selection;
  /** The step that is selected: a field and a step never are both. */
  readonly picked: ChosenStep | undefined;
  readonly pick: (step: ChosenStep | undefined) => void;
  /** Goes to what a finding is about. */
  readonly goTo: (found: Found) => void;
  /** The opening whose steps are shown: the record's, or the list's where that is looked at. */
  readonly openShown: RecordedRequest | undefined;
  readonly setListed: (request: RecordedRequest) => void;
}

function usePlace(draft: EditedDraft, at: LookedAt): Place {
  const [search] = useSearchParams();
  const { state } = useLocation() as { state: { readonly form?: string } | null };
  const [picked, setPicked] = useState<ChosenStep | undefined>(() => askedStep(search.get("step"), state?.form));
  const [view, setView] = useState<View>("rules");
  const [column, setColumn] = useState<ColumnName>("page");
  const [listed, setListed] = useState<RecordedRequest>();
  const isNarrow = useNarrow();
  const order = at.sheet.fields.filter((field) => field.onPage).map((field) => field.name);
  const fields = useSelection(order, draft.edit);
  const selection: Selection = {
    ...fields,
    choose: (names) => {
      if (names.length > 0) setPicked(undefined);
      fields.choose(names);
    },
  };
  const pick = (step: ChosenStep | undefined): void => {
    if (step) {
      fields.choose([]);
      setColumn("edit");
    }
    setPicked(step);
  };
  const goTo = ({ about }: Found): void => {
    if (about === null) setView("file");
    else if ("step" in about) {
      pick({ half: halfOf(about.step), step: about.step });
      requestFocus(stepHead(about.step));
    } else {
      setView("rules");
      setColumn("edit");
      selection.choose([about.field]);
      requestFocus(settingsOfField(about.field));
    }
  };
  return {
    view,
    setView,
    alone: isNarrow ? column : undefined,
    setColumn,
    selection,
    picked,
    pick,
    goTo,
    openShown: view === "list" && listed ? listed : at.open,
    setListed,
  };
}

function PlaceTabs({ place }: { place: Place }) {
  const { view, setView, alone, setColumn } = place;
  return alone === undefined ? (
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
  );
}

interface SheetBodyProps extends SheetProps {
  readonly at: LookedAt;
  readonly place: Place;
  readonly found: readonly Found[];
}

/** What stands in the place of table and rules; undefined where they stand there. */
function paneOf({ name, draft, text, at, place, found }: SheetBodyProps): ReactNode | undefined {
  const { sheet } = at;
  switch (place.view) {
    case "rules":
    case "page":
      return undefined;
    case "file":
      return <FilePane name={name} text={text} found={found} sheet={sheet} onChange={draft.write} onGo={place.goTo} />;
    case "list":
      return (
        <ListPane
          page={name}
          text={text}
          as={at.as}
          onTrip={place.setListed}
          onEdit={() => {
            place.pick({ half: "open", step: "load" });
            requestFocus(stepHead("load"));
          }}
        />
      );
    case "census":
      return <CensusPane name={name} text={text} />;
    case "statements":
      return <Statements open={place.openShown} save={at.tried} sheet={sheet} onPick={place.pick} />;
    case "versions":
      return <Versions name={name} text={text} draft={draft} />;
  }
}

/** The columns, and what is edited at their right. */
function SheetBody(props: SheetBodyProps) {
  const { name, draft, text, at, place, found } = props;
  const { sheet, trial, answer } = at;
  const { view, alone, picked } = place;
  const content = paneOf(props);
  const pane = content && <Suspense fallback={<Waiting height="30rem" what="Opening" />}>{content}</Suspense>;
  const hasPanel = alone === undefined ? view === "rules" || picked !== undefined : alone === "edit";
  // Beside a pane it covers the page, which is not what is looked at there; beside the page alone a part of it.
  const covers = view === "rules" ? undefined : view === "page" ? "right" : "left";
  return (
    <Body $covers={alone === undefined ? covers : undefined}>
      {trial && alone !== "edit" && (alone === undefined || pane === undefined) ? (
        <SheetColumns
          sheet={sheet}
          trial={trial}
          save={at.save}
          selection={place.selection}
          onSend={(sent) => at.key && at.send(sent)}
          view={view}
          pane={pane}
          alone={alone}
          found={found}
        />
      ) : trial ? (
        (pane ?? null)
      ) : answer.isPending || (at.key === undefined && answer.data?.sheet.version) ? (
        <NoRecord isPending={answer.isPending || at.isLooking} />
      ) : (
        <section aria-label="The page file">
          {pane ?? (
            <Suspense fallback={<Waiting height="30rem" what="Opening" />}>
              <FilePane name={name} text={text} found={found} sheet={sheet} onChange={draft.write} onGo={place.goTo} />
            </Suspense>
          )}
        </section>
      )}
      {hasPanel && (
        <EditPanel
          sheet={sheet}
          selection={place.selection}
          picked={picked}
          onPick={place.pick}
          request={picked?.half === "save" ? at.save : place.openShown}
        />
      )}
    </Body>
  );
}

/** That a save was somebody's, of the page as it was then: the draft has not judged it. */
const OfRecord = ({ request }: { request: RecordedRequest }) => (
  <>
    {" "}
    (
    <Link to={`/requests/${encodeURIComponent(request.id)}`}>
      recorded <Moment at={request.at} />
    </Link>
    {request.actor && <> by {request.actor.name}</>})
  </>
);

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

/** The step that an address asks for. */
function askedStep(step: string | null, form: string | undefined): ChosenStep | undefined {
  const half = form === undefined ? "open" : "save";
  const steps: readonly string[] = half === "save" ? saveSteps : openSteps;
  return step !== null && steps.includes(step) ? { half, step: step as StepName } : undefined;
}
