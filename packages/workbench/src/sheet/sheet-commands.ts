import { type DescribedSetting, openSteps, type StepName, saveSteps } from "@loyal-quill/core";
import type { RuleChoice, SheetAnswer } from "@loyal-quill/server/api";
import { useMemo, useRef } from "react";
import { useNavigate } from "react-router";
import { usePageFile } from "../api/queries.js";
import type { Command } from "../palette/commands.js";
import { requestFocus } from "../parts/focus-request.js";
import type { ChosenStep } from "../round-trip/round-trip.js";
import { halfOf } from "../round-trip/trip-lines.js";
import { stepTitle } from "../round-trip/wording.js";
import { type View, views } from "./columns/views.js";
import type { EditedDraft } from "./draft/use-draft.js";
import { addCheck, addRule, type Content, type Editing, fittingRules, settingsOfField } from "./editing/settings.js";

interface SheetActions {
  readonly sheet: SheetAnswer;
  readonly content: Content | undefined;
  /** The address of the record that is looked at, on the served page. */
  readonly recordAddress: string | undefined;
  readonly edit: Editing["edit"];
  readonly pick: (step: ChosenStep) => void;
  readonly choose: (fields: readonly string[]) => void;
  readonly view: (view: View) => void;
  readonly publish: () => void;
  readonly draft: Pick<EditedDraft, "undo" | "redo" | "undoes" | "redoes" | "discard" | "answer">;
  /** Who the page can be looked at as. */
  readonly people: readonly { readonly id: string; readonly name: string }[];
  readonly viewAs: (id: string) => void;
  /** The fields that are selected. */
  readonly selected: readonly string[];
}

const noRules: readonly RuleChoice[] = [];
const noSettings: readonly DescribedSetting[] = [];

/** Everything that can be set on a Sheet, for the palette. */
export function useSheetCommands(actions: SheetActions): readonly Command[] {
  const latest = useRef(actions);
  latest.current = actions;
  const navigate = useNavigate();
  const { draft, people } = actions;
  const selected = actions.selected.join("\n");
  const { name: page, fields, plural, listAddress } = actions.sheet;
  const { undoes, redoes } = draft;
  const hasDraft = (draft.answer?.revision ?? 0) > 0;
  const known = usePageFile().data;
  const rules = known?.rules ?? noRules;
  const settings = known?.settings.page ?? noSettings;
  const fieldSettings = known?.settings.field ?? noSettings;
  return useMemo(() => {
    const now = (): SheetActions => latest.current;
    const open = (step: StepName): void => now().pick({ half: halfOf(step), step });
    const onPage = fields.filter((field) => field.onPage);
    return [
      {
        id: "publish",
        text: "Publish this page",
        what: plural,
        run: () => now().publish(),
      },
      ...(undoes === null
        ? []
        : [{ id: "undo", text: `Undo: ${undoes}`, what: plural, run: () => now().draft.undo() }]),
      ...(redoes === null
        ? []
        : [{ id: "redo", text: `Redo: ${redoes}`, what: plural, run: () => now().draft.redo() }]),
      ...(hasDraft ? [{ id: "discard", text: "Discard draft", what: plural, run: () => now().draft.discard() }] : []),
      ...(["rehearsal", "replay"] as const).map((place) => ({
        id: place,
        text: place === "rehearsal" ? "Rehearsal: run and results" : "Replay recorded requests on the draft",
        what: plural,
        run: () => void navigate(`/pages/${encodeURIComponent(page)}/${place}`),
      })),
      { id: "census", text: "Census: count stored rows that fail", what: plural, run: () => now().view("census") },
      ...people.map(({ id, name }) => ({
        id: `view as ${id}`,
        text: `View as ${name}`,
        what: plural,
        run: () => now().viewAs(id),
      })),
      ...selected.split("\n").flatMap((field) =>
        (field === "" ? noSettings : fieldSettings).map(({ label, path }) => ({
          id: `field setting ${field} ${path.join(".")}`,
          text: `${field}: ${label}`,
          what: "setting",
          run: () => {
            now().view("rules");
            now().choose([field]);
            requestFocus(path[0] === "label" ? settingsOfField(field) : label);
          },
        })),
      ),
      {
        id: "add check",
        text: "Add a check across fields",
        what: plural,
        run: () => {
          open("check");
          addCheck(now());
        },
      },
      ...settings.flatMap(({ step, label, path, editor }) =>
        step && editor
          ? [
              {
                id: `setting ${path.join(".")}`,
                text: label,
                what: stepTitle[step],
                run: () => {
                  open(step);
                  requestFocus(label);
                },
              },
            ]
          : [],
      ),
      ...onPage.map(({ name, label }) => ({
        id: `field ${name}`,
        text: `Edit ${name}, ${label}`,
        what: "field",
        run: () => {
          now().view("rules");
          now().choose([name]);
          requestFocus(settingsOfField(name));
        },
      })),
      ...onPage
        .filter((field) => !field.readOnly)
        .flatMap((field) =>
          fittingRules(rules, field.kind).map((rule) => ({
            id: `rule ${rule.name} ${field.name}`,
            text: `${field.name}: add the rule ${rule.label}`,
            what: "rule",
            run: () => {
              const { view, choose } = now();
              view("rules");
              choose([field.name]);
              addRule(now(), field.name, rule);
            },
          })),
        ),
      ...fields
        .filter((field) => !field.onPage)
        .map(({ name }) => ({
          id: `add ${name}`,
          text: `Add ${name} to the page`,
          what: "field",
          run: () => now().edit([{ do: "add-fields", names: [name], before: null }], `add ${name}`),
        })),
      ...(Object.keys(views) as View[]).map((view) => ({
        id: `view ${view}`,
        text: `Show: ${views[view]}`,
        what: plural,
        run: () => now().view(view),
      })),
      ...[...new Set([...openSteps, ...saveSteps])].map((step) => ({
        id: `step ${step}`,
        text: `Step: ${stepTitle[step]}`,
        what: plural,
        run: () => open(step),
      })),
      ...(listAddress
        ? [
            {
              id: "served",
              text: `Go to the served page, ${listAddress}`,
              what: plural,
              run: () => location.assign(listAddress ?? "/"),
            },
            {
              id: "served record",
              text: "Open this record on the served page",
              what: plural,
              run: () => location.assign(now().recordAddress ?? listAddress ?? "/"),
            },
          ]
        : []),
    ];
  }, [
    page,
    fields,
    plural,
    listAddress,
    rules,
    settings,
    fieldSettings,
    people,
    selected,
    undoes,
    redoes,
    hasDraft,
    navigate,
  ]);
}
