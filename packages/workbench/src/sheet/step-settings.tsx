import type { StepName } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import type { ReactNode } from "react";
import { styled } from "styled-components";
import { usePageFile, usePages } from "../api/queries.js";
import { CheckBox, Line, SelectLine, TextLine } from "../parts/inputs.js";
import { AddMenu } from "../parts/menu.js";
import { AccessSettings } from "./access-settings.js";
import { CheckSettings } from "./check-settings.js";
import { SetSettings } from "./set-settings.js";
import { partOf, setter, textOf, useEditing } from "./settings.js";

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
        label="Address"
        value={textOf(editing.content?.path)}
        onChange={(value) => set(["path"], value, "address")}
      />
      <TextLine label="Title" value={textOf(editing.content?.title)} onChange={(value) => set(["title"], value)} />
      <TextLine
        label="List title"
        value={textOf(editing.content?.plural)}
        onChange={(value) => set(["plural"], value, "list title")}
      />
      <TextLine
        label="Description"
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
        label="Key"
        value={current}
        options={
          options.some(({ id }) => id === current)
            ? options
            : [{ id: current, text: `${current} (not safe)` }, ...options]
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
        <span>Editable key</span>
        <span>
          <CheckBox
            label="People can edit the key"
            checked={record["key-editable"] === true}
            onChange={(checked) =>
              set(["record", "key-editable"], checked || undefined, "whether the key may be edited")
            }
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
    set(["related"], next.length > 0 ? next : undefined, "related pages");
  return (
    <Line>
      <span>Related lists</span>
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
          label="Add a related page"
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
        label="List columns"
        add="Add a column"
        chosen={list.columns}
        fields={sheet.fields}
        onChange={(names) => set(["list", "columns"], names, "columns of the list")}
      />
      <ColumnsLine
        label="Search in"
        add="Add a column to search"
        chosen={list.search}
        fields={sheet.fields}
        onChange={(names) => set(["list", "search"], names, "columns that a search looks into")}
      />
      <ColumnsLine
        label="Filter by"
        add="Add a filter"
        chosen={list.filter}
        fields={sheet.fields}
        onChange={(names) => set(["list", "filter"], names, "filters of the list")}
      />
      <ColumnsLine
        label="Edit in rows"
        add="Add a field to edit in rows"
        chosen={list.edit}
        fields={sheet.fields.filter((field) => field.onPage)}
        onChange={(names) => set(["list", "edit"], names, "fields edited in rows")}
      />
      {Array.isArray(list.edit) && (
        <Line>
          <span>Save rows</span>
          <span>
            <CheckBox
              label="All rows together, or none"
              checked={list.together === true}
              onChange={(checked) => set(["list", "together"], checked || undefined, "whether rows are saved together")}
            />
          </span>
        </Line>
      )}
      <Line>
        <span>Form</span>
        <span>
          <CheckBox
            label="Beside the list, on one page"
            checked={list.form === "beside"}
            onChange={(checked) => set(["list", "form"], checked ? "beside" : undefined, "where the form stands")}
          />
        </span>
      </Line>
      <RelatedLine />
      <SelectLine
        label="Sort by"
        value={sort}
        options={[
          { id: "", text: "the key" },
          ...sheet.fields.flatMap(({ name }) => [
            { id: name, text: name },
            { id: `-${name}`, text: `${name}, last first` },
          ]),
        ]}
        onChange={(id) => set(["list", "sort"], id, "order of the list")}
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
        label="Language"
        value={textOf(editing.content?.language)}
        options={languages.map(({ id, name }, index) => ({ id: index === 0 ? "" : id, text: name }))}
        onChange={(id) => set(["language"], id)}
      />
      <TextLine
        label="Time zone"
        value={textOf(editing.content?.["time-zone"])}
        placeholder="UTC"
        onChange={(value) => set(["time-zone"], value, "time zone")}
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
        Only these fields are taken from a form:{" "}
        {sheet.fields
          .filter((field) => field.onPage && !field.readOnly)
          .map(({ name }) => name)
          .join(", ")}
        .
      </Soft>
      <Line>
        <span>Add</span>
        <span>
          {off.length === 0 && "All columns are on the page."}
          {off.map((field) => (
            <CheckBox
              key={field.name}
              label={field.name}
              checked={false}
              onChange={() => edit([{ do: "add-fields", names: [field.name], before: null }], `add ${field.name}`)}
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
      <Soft>
        A single statement locks the row by key, access and version, updates the changed columns and writes the log
        entry. You can save through your own function or procedure instead.
      </Soft>
      <TextLine
        label="Routine"
        value={textOf(save.routine)}
        placeholder="schema.routine"
        onChange={(value) =>
          value === "" && save.reason === undefined
            ? set(["save"], undefined, "routine that saves")
            : set(["save", "routine"], value, "routine that saves")
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
        label="After saving, go to"
        value={textOf(answer.saved)}
        options={[
          { id: "", text: "The list" },
          { id: "page", text: "The form again" },
          { id: "view", text: "The record" },
          { id: "next", text: "The next record of the list" },
        ]}
        onChange={(id) => set(["answer", "saved"], id, "where a save leads")}
      />
      <TextLine
        label="Success message"
        value={textOf(answer.message)}
        onChange={(value) => set(["answer", "message"], value, "message after a save")}
      />
      <TextLine
        label="Or to this address"
        value={textOf(answer.to)}
        placeholder="/map?station={code}"
        onChange={(value) => set(["answer", "to"], value, "address after a save")}
      />
    </>
  );
}

const said: Readonly<Record<"compare", string>> = {
  compare:
    "No settings. What the form showed, what is stored now and what was submitted are compared field by field; untouched fields are never written.",
};

/** What can be set about a step, in its own place. */
export function StepSettings({ step, sheet }: { step: StepName; sheet: SheetAnswer }) {
  const { content } = useEditing();
  if (!content) return <Soft>The page file is not valid YAML. Fix it in File first.</Soft>;
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
