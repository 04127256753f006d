import type { StepName } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import type { ReactNode } from "react";
import { styled } from "styled-components";
import { usePageFile, usePages } from "../api/queries.js";
import { CheckBox, Line, SelectLine, TextLine } from "../parts/inputs.js";
import { AddMenu } from "../parts/menu.js";
import { texts } from "../texts.js";
import { AccessSettings } from "./access-settings.js";
import { CheckSettings } from "./check-settings.js";
import { SetSettings } from "./set-settings.js";
import { partOf, setter, textOf, useEditing } from "./settings.js";

const says = texts.stepSettings;

const Lines = styled.div`
  display: grid;
  gap: ${({ theme }) => theme.space(1.5)};
  align-content: start;
  max-width: 40rem;
`;

const Soft = styled.p`
  color: ${({ theme }) => theme.soft};
`;

function RouteSettings() {
  const editing = useEditing();
  const set = setter(editing);
  return (
    <>
      <TextLine
        label={says.address}
        value={textOf(editing.content?.path)}
        onChange={(value) => set(["path"], value, "address")}
      />
      <TextLine label={says.title} value={textOf(editing.content?.title)} onChange={(value) => set(["title"], value)} />
      <TextLine
        label={says.listTitle}
        value={textOf(editing.content?.plural)}
        onChange={(value) => set(["plural"], value, says.listTitle2)}
      />
      <TextLine
        label={says.description}
        value={textOf(editing.content?.description)}
        onChange={(value) => set(["description"], value)}
      />
    </>
  );
}

function KeySettings({ sheet }: { sheet: SheetAnswer }) {
  const editing = useEditing();
  const set = setter(editing);
  const record = partOf(editing.content, "record");
  const current = [record.key].flat().join(", ");
  const options = sheet.keys.map((key) => ({ id: key.join(", "), text: key.join(", ") }));
  return (
    <>
      <SelectLine
        label={says.key}
        value={current}
        options={
          options.some(({ id }) => id === current)
            ? options
            : [{ id: current, text: says.notSafe(current) }, ...options]
        }
        onChange={(id) => {
          const names = id.split(", ");
          const first = textOf(editing.content?.path).replace(/\/\{.*$/, "");
          editing.edit(
            [
              { do: "set", path: ["record", "key"], value: names.length === 1 ? names[0] : names },
              { do: "set", path: ["path"], value: `${first}/${names.map((name) => `{${name}}`).join("/")}` },
            ],
            "key",
          );
        }}
      />
      <Line>
        <span>{says.editableKey}</span>
        <span>
          <CheckBox
            label={says.peopleCanEditTheKey}
            checked={record["key-editable"] === true}
            onChange={(checked) => set(["record", "key-editable"], checked || undefined, says.whetherTheKeyMayBeEdited)}
          />
        </span>
      </Line>
    </>
  );
}

interface ColumnsLineProps {
  readonly label: string;
  /** What the menu that adds one is called. */
  readonly add: string;
  readonly chosen: unknown;
  readonly fields: SheetAnswer["fields"];
  readonly onChange: (names: readonly string[] | undefined) => void;
}

/** Columns of the table, chosen one by one; none is what the page does by itself. */
function ColumnsLine({ label, add, chosen, fields, onChange }: ColumnsLineProps) {
  const names = Array.isArray(chosen) ? chosen.map(String) : [];
  const set = (next: readonly string[]): void => onChange(next.length > 0 ? next : undefined);
  return (
    <Line>
      <span>{label}</span>
      <span>
        {names.map((name) => (
          <CheckBox key={name} label={name} checked onChange={() => set(names.filter((each) => each !== name))} />
        ))}
        <AddMenu
          label={add}
          options={fields.filter((field) => !names.includes(field.name)).map(({ name }) => ({ id: name, text: name }))}
          onAdd={(name) => set([...names, name])}
        />
      </span>
    </Line>
  );
}

/** Pages whose records refer to those of this one. */
function RelatedLine() {
  const editing = useEditing();
  const set = setter(editing);
  const pages = usePages().data ?? [];
  const chosen = Array.isArray(editing.content?.related) ? (editing.content.related as unknown[]) : [];
  const nameOf = (each: unknown): string =>
    typeof each === "object" && each !== null ? String((each as { page?: unknown }).page ?? "") : String(each);
  const change = (next: readonly unknown[]): void =>
    set(["related"], next.length > 0 ? next : undefined, says.relatedPages);
  return (
    <Line>
      <span>{says.relatedLists}</span>
      <span>
        {chosen.map((each, index) => (
          <CheckBox
            key={nameOf(each)}
            label={nameOf(each)}
            checked
            onChange={() => change(chosen.filter((_, place) => place !== index))}
          />
        ))}
        <AddMenu
          label={says.addARelatedPage}
          options={pages
            .filter(({ name }) => name !== editing.page && !chosen.some((each) => nameOf(each) === name))
            .map(({ name, plural }) => ({ id: name, text: plural ?? name }))}
          onAdd={(name) => change([...chosen, name])}
        />
      </span>
    </Line>
  );
}

function LoadSettings({ sheet }: { sheet: SheetAnswer }) {
  const editing = useEditing();
  const list = partOf(editing.content, "list");
  const sort = textOf(list.sort);
  const set = setter(editing);
  return (
    <>
      <ColumnsLine
        label={says.listColumns}
        add={says.addAColumn}
        chosen={list.columns}
        fields={sheet.fields}
        onChange={(names) => set(["list", "columns"], names, says.columnsOfTheList)}
      />
      <ColumnsLine
        label={says.searchIn}
        add={says.addAColumnToSearch}
        chosen={list.search}
        fields={sheet.fields}
        onChange={(names) => set(["list", "search"], names, says.columnsThatASearchLooksInto)}
      />
      <ColumnsLine
        label={says.filterBy}
        add={says.addAFilter}
        chosen={list.filter}
        fields={sheet.fields}
        onChange={(names) => set(["list", "filter"], names, says.filtersOfTheList)}
      />
      <ColumnsLine
        label={says.editInRows}
        add={says.addAFieldToEdit}
        chosen={list.edit}
        fields={sheet.fields.filter((field) => field.onPage)}
        onChange={(names) => set(["list", "edit"], names, says.fieldsEditedInRows)}
      />
      {Array.isArray(list.edit) && (
        <Line>
          <span>{says.saveRows}</span>
          <span>
            <CheckBox
              label={says.allTogether}
              checked={list.together === true}
              onChange={(checked) => set(["list", "together"], checked || undefined, says.whetherRowsAreSavedTogether)}
            />
          </span>
        </Line>
      )}
      <Line>
        <span>{says.form}</span>
        <span>
          <CheckBox
            label={says.besideTheList}
            checked={list.form === "beside"}
            onChange={(checked) => set(["list", "form"], checked ? "beside" : undefined, says.whereTheFormStands)}
          />
        </span>
      </Line>
      <RelatedLine />
      <SelectLine
        label={says.sortBy}
        value={sort}
        options={[
          { id: "", text: says.theKey },
          ...sheet.fields.flatMap(({ name }) => [
            { id: name, text: name },
            { id: `-${name}`, text: says.lastFirst(name) },
          ]),
        ]}
        onChange={(id) => set(["list", "sort"], id, says.orderOfTheList)}
      />
    </>
  );
}

function PrefillSettings() {
  const editing = useEditing();
  const languages = usePageFile().data?.languages ?? [];
  const set = setter(editing);
  return (
    <>
      <SelectLine
        label={says.language}
        value={textOf(editing.content?.language)}
        options={languages.map(({ id, name }, index) => ({ id: index === 0 ? "" : id, text: name }))}
        onChange={(id) => set(["language"], id)}
      />
      <TextLine
        label={says.timeZone}
        value={textOf(editing.content?.["time-zone"])}
        placeholder={says.utc}
        onChange={(value) => set(["time-zone"], value, says.timeZone2)}
      />
    </>
  );
}

function ReadSettings({ sheet }: { sheet: SheetAnswer }) {
  const { edit } = useEditing();
  const off = sheet.fields.filter((field) => !field.onPage);
  return (
    <>
      <Soft>
        {says.onlyTheseFieldsAreTakenFrom}{" "}
        {sheet.fields
          .filter((field) => field.onPage && !field.readOnly)
          .map(({ name }) => name)
          .join(", ")}
        .
      </Soft>
      <Line>
        <span>{says.add}</span>
        <span>
          {off.length === 0 && says.allColumnsAreOnThePage}
          {off.map((field) => (
            <CheckBox
              key={field.name}
              label={field.name}
              checked={false}
              onChange={() => edit([{ do: "add-fields", names: [field.name], before: null }], says.add2(field.name))}
            />
          ))}
        </span>
      </Line>
    </>
  );
}

function WriteSettings({ sheet }: { sheet: SheetAnswer }) {
  const editing = useEditing();
  const set = setter(editing);
  const save = partOf(editing.content, "save");
  return (
    <>
      <Soft>{says.aSingleStatementLocksTheRow}</Soft>
      <TextLine
        label={says.routine}
        value={textOf(save.routine)}
        placeholder={says.schemaRoutine}
        onChange={(value) =>
          value === "" && save.reason === undefined
            ? set(["save"], undefined, says.routineThatSaves)
            : set(["save", "routine"], value, says.routineThatSaves)
        }
      />
      <SetSettings sheet={sheet} />
    </>
  );
}

function AnswerSettings() {
  const editing = useEditing();
  const set = setter(editing);
  const answer = partOf(editing.content, "answer");
  return (
    <>
      <SelectLine
        label={says.afterSavingGoTo}
        value={textOf(answer.saved)}
        options={[
          { id: "", text: says.theList },
          { id: "page", text: says.theFormAgain },
          { id: "view", text: says.theRecord },
          { id: "next", text: says.theNextRecord },
        ]}
        onChange={(id) => set(["answer", "saved"], id, says.whereASaveLeads)}
      />
      <TextLine
        label={says.successMessage}
        value={textOf(answer.message)}
        onChange={(value) => set(["answer", "message"], value, says.messageAfterASave)}
      />
      <TextLine
        label={says.leadsTo}
        value={textOf(answer.to)}
        placeholder={says.exampleOfAnAddress}
        onChange={(value) => set(["answer", "to"], value, says.addressAfterASave)}
      />
    </>
  );
}

const said: Readonly<Record<"compare", string>> = {
  compare: says.noSettingsWhatTheFormShowed,
};

/** What can be set about a step, in its own place. */
export function StepSettings({ step, sheet }: { step: StepName; sheet: SheetAnswer }) {
  const { content } = useEditing();
  if (!content) return <Soft>{says.thePageFileIsNotValid}</Soft>;
  const settings: Readonly<Record<StepName, ReactNode>> = {
    route: <RouteSettings />,
    key: <KeySettings sheet={sheet} />,
    access: <AccessSettings />,
    load: <LoadSettings sheet={sheet} />,
    prefill: <PrefillSettings />,
    read: <ReadSettings sheet={sheet} />,
    check: <CheckSettings sheet={sheet} />,
    compare: <Soft>{said.compare}</Soft>,
    write: <WriteSettings sheet={sheet} />,
    answer: <AnswerSettings />,
  };
  return <Lines>{settings[step]}</Lines>;
}
