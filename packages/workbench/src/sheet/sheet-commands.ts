import { openSteps, type StepName, saveSteps } from "@loyal-quill/core";
import type { RuleChoice, SheetAnswer } from "@loyal-quill/server/api";
import { useMemo, useRef } from "react";
import { usePageFile } from "../api/queries.js";
import type { Command } from "../palette/commands.js";
import { requestFocus } from "../parts/focus-request.js";
import type { ChosenStep } from "../round-trip/round-trip.js";
import { stepTitle } from "../round-trip/wording.js";
import { texts } from "../texts.js";
import { addCheck, addRule, type Content, type Editing, fittingRules, settingsOfField } from "./settings.js";
import { type View, views } from "./views.js";

const { sheetCommands: says, accessSettings: access, stepSettings: ofSteps } = texts;

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
}

const settings: readonly { readonly step: StepName; readonly label: string; readonly text: string }[] = [
  { step: "access", label: access.canOpen, text: access.canOpen },
  { step: "access", label: access.visibleRecords, text: access.visibleRecords },
  { step: "access", label: access.editableWhen, text: access.editableWhen },
  { step: "access", label: access.canCreate, text: access.canCreate },
  { step: "access", label: access.deletableWhen, text: access.deletableWhen },
  { step: "route", label: ofSteps.address, text: says.addressOfThePage },
  { step: "route", label: ofSteps.title, text: says.titleOfThePage },
  { step: "key", label: ofSteps.key, text: says.keyOfTheRecord },
  { step: "prefill", label: ofSteps.timeZone, text: ofSteps.timeZone },
  { step: "answer", label: ofSteps.afterSavingGoTo, text: ofSteps.afterSavingGoTo },
];

const noRules: readonly RuleChoice[] = [];

const halfOf = (step: StepName): ChosenStep["half"] =>
  (openSteps as readonly StepName[]).includes(step) ? "open" : "save";

/** Everything that can be set on a Sheet, for the palette. */
export function useSheetCommands(actions: SheetActions): readonly Command[] {
  const latest = useRef(actions);
  latest.current = actions;
  const { fields, plural, listAddress } = actions.sheet;
  const rules = usePageFile().data?.rules ?? noRules;
  return useMemo(() => {
    const now = (): SheetActions => latest.current;
    const open = (step: StepName): void => now().pick({ half: halfOf(step), step });
    const onPage = fields.filter((field) => field.onPage);
    return [
      {
        id: "publish",
        text: says.publishThisPage,
        what: plural,
        run: () => now().publish(),
      },
      {
        id: "add check",
        text: says.addACheckAcrossFields,
        what: plural,
        run: () => {
          open("check");
          addCheck(now());
        },
      },
      ...settings.map(({ step, label, text }) => ({
        id: `setting ${label}`,
        text,
        what: stepTitle[step],
        run: () => {
          open(step);
          requestFocus(label);
        },
      })),
      ...onPage.map(({ name, label }) => ({
        id: `field ${name}`,
        text: says.edit(name, label),
        what: says.field,
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
            text: says.addTheRule(field.name, rule.label),
            what: says.rule,
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
          text: says.addToThePage(name),
          what: says.field,
          run: () => now().edit([{ do: "add-fields", names: [name], before: null }], says.add(name)),
        })),
      ...(Object.keys(views) as View[]).map((view) => ({
        id: `view ${view}`,
        text: says.show(views[view]),
        what: plural,
        run: () => now().view(view),
      })),
      ...[...new Set([...openSteps, ...saveSteps])].map((step) => ({
        id: `step ${step}`,
        text: says.step(stepTitle[step]),
        what: plural,
        run: () => open(step),
      })),
      ...(listAddress
        ? [
            {
              id: "served",
              text: says.goToTheServedPage(listAddress),
              what: plural,
              run: () => location.assign(listAddress ?? "/"),
            },
            {
              id: "served record",
              text: says.openThisRecordOnTheServed,
              what: plural,
              run: () => location.assign(now().recordAddress ?? listAddress ?? "/"),
            },
          ]
        : []),
    ];
  }, [fields, plural, listAddress, rules]);
}
