import type { StepName } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import type { ReactNode } from "react";
import { styled } from "styled-components";
import { usePageFile } from "../api/queries.js";
import { CheckBox, Line, SelectLine, TextLine } from "../parts/inputs.js";
import { AddMenu } from "../parts/menu.js";
import { AccessSettings } from "./access-settings.js";
import { CheckSettings } from "./check-settings.js";
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

function LoadSettings({ sheet }: { sheet: SheetAnswer }) {
  const editing = useEditing();
  const list = partOf(editing.content, "list");
  const columns = Array.isArray(list.columns) ? list.columns.map(String) : [];
  const sort = textOf(list.sort);
  const set = setter(editing);
  const setColumns = (names: readonly string[]): void =>
    set(["list", "columns"], names.length > 0 ? names : undefined, "columns of the list");
  return (
    <>
      <Line>
        <span>List columns</span>
        <span>
          {columns.map((name) => (
            <CheckBox
              key={name}
              label={name}
              checked
              onChange={() => setColumns(columns.filter((each) => each !== name))}
            />
          ))}
          <AddMenu
            label="Add a column"
            options={sheet.fields
              .filter((field) => !columns.includes(field.name))
              .map(({ name }) => ({ id: name, text: name }))}
            onAdd={(name) => setColumns([...columns, name])}
          />
        </span>
      </Line>
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

function WriteSettings() {
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
          value === ""
            ? set(["save"], undefined, "routine that saves")
            : set(["save", "routine"], value, "routine that saves")
        }
      />
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
        ]}
        onChange={(id) => set(["answer", "saved"], id, "where a save leads")}
      />
      <TextLine
        label="Success message"
        value={textOf(answer.message)}
        onChange={(value) => set(["answer", "message"], value, "message after a save")}
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
    write: <WriteSettings />,
    answer: <AnswerSettings />,
  };
  return <Lines>{settings[step]}</Lines>;
}
