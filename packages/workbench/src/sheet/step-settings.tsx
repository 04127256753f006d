import type { StepName } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import type { ReactNode } from "react";
import { styled } from "styled-components";
import { CheckBox, Line, SelectLine, TextLine } from "../parts/inputs.js";
import { AddMenu } from "../parts/menu.js";
import { AccessSettings } from "./access-settings.js";
import { CheckSettings } from "./check-settings.js";
import { partOf, setter, textOf, useDesk } from "./settings.js";

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
  const desk = useDesk();
  const set = setter(desk);
  return (
    <>
      <TextLine
        label="Address"
        value={textOf(desk.content?.path)}
        onChange={(value) => set(["path"], value, "address")}
      />
      <TextLine label="Title" value={textOf(desk.content?.title)} onChange={(value) => set(["title"], value)} />
      <TextLine
        label="List's name"
        value={textOf(desk.content?.plural)}
        onChange={(value) => set(["plural"], value, "name of the list")}
      />
    </>
  );
}

function KeySettings({ sheet }: { sheet: SheetAnswer }) {
  const desk = useDesk();
  const set = setter(desk);
  const record = partOf(desk.content, "record");
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
          const first = textOf(desk.content?.path).replace(/\/\{.*$/, "");
          desk.edit(
            [
              { do: "set", path: ["record", "key"], value: names.length === 1 ? names[0] : names },
              { do: "set", path: ["path"], value: `${first}/${names.map((name) => `{${name}}`).join("/")}` },
            ],
            "key",
          );
        }}
      />
      <Line>
        <span>May change</span>
        <span>
          <CheckBox
            label="the key is on the form like another field"
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
  const desk = useDesk();
  const list = partOf(desk.content, "list");
  const columns = Array.isArray(list.columns) ? list.columns.map(String) : [];
  const sort = textOf(list.sort);
  const set = setter(desk);
  const setColumns = (names: readonly string[]): void =>
    set(["list", "columns"], names.length > 0 ? names : undefined, "columns of the list");
  return (
    <>
      <Line>
        <span>List shows</span>
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
        label="Sorted by"
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
  const desk = useDesk();
  const set = setter(desk);
  return (
    <>
      <SelectLine
        label="Language"
        value={textOf(desk.content?.language)}
        options={[
          { id: "", text: "English" },
          { id: "de", text: "German" },
          { id: "ar", text: "Arabic" },
        ]}
        onChange={(id) => set(["language"], id)}
      />
      <TextLine
        label="Time zone"
        value={textOf(desk.content?.["time-zone"])}
        placeholder="UTC"
        onChange={(value) => set(["time-zone"], value, "time zone")}
      />
    </>
  );
}

function ReadSettings({ sheet }: { sheet: SheetAnswer }) {
  const { edit } = useDesk();
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
          {off.length === 0 && "every column of the table is on the page"}
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
  const desk = useDesk();
  const set = setter(desk);
  const save = partOf(desk.content, "save");
  return (
    <>
      <Soft>
        One statement locks the row by key, access and version, sets the changed columns, and adds the entry of the log.
        A routine of your own can take its place.
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
  const desk = useDesk();
  const set = setter(desk);
  const answer = partOf(desk.content, "answer");
  return (
    <>
      <SelectLine
        label="Leads to"
        value={textOf(answer.saved)}
        options={[
          { id: "", text: "the list" },
          { id: "page", text: "the same form" },
          { id: "view", text: "the record as it now is" },
        ]}
        onChange={(id) => set(["answer", "saved"], id, "where a save leads")}
      />
      <TextLine
        label="Says"
        value={textOf(answer.message)}
        onChange={(value) => set(["answer", "message"], value, "message after a save")}
      />
    </>
  );
}

const said: Readonly<Record<"compare", string>> = {
  compare:
    "Nothing to set: what the form showed, what is stored now and what came back are compared field by field. Untouched fields are never written.",
};

/** What can be set about a step, in its own place. */
export function StepSettings({ step, sheet }: { step: StepName; sheet: SheetAnswer }) {
  const { content } = useDesk();
  if (!content) return <Soft>The text of the file can't be read as YAML: put it right there first.</Soft>;
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
