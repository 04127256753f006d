import type { AdoptAnswer, AdoptTablesAnswer, FormFinding } from "@loyal-quill/server/api";
import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";
import { type ApiProblem, ask } from "../api/client.js";
import { useDatabase } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { English } from "../parts/english.js";
import { Heard } from "../parts/heard.js";
import { TextLine } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Empty, Failed, QuietButton, Refused, Strong, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { readTextFile } from "../parts/text-file.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { FormBesidePage } from "./form-beside-page.js";
import { ImportOver, useImportedDraft } from "./import-draft.js";

const Asked = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => `${theme.space(2)} ${theme.space(5)}`};
  align-items: baseline;
  margin: ${({ theme }) => `${theme.space(3)} 0`};
`;

const Soft = styled.span`
  color: ${({ theme }) => theme.soft};
`;

const Parts = styled.div`
  h2 { font-size: 1.125rem; margin-bottom: ${({ theme }) => theme.space(2)}; }
  section { margin-top: ${({ theme }) => theme.space(5)}; }
  pre { font: 0.8125rem/1.4 ${({ theme }) => theme.wire}; border: 1px solid ${({ theme }) => theme.rule}; padding: ${({ theme }) => theme.space(2)}; }
  ol { padding-inline-start: ${({ theme }) => theme.space(6)}; list-style: decimal; }
  li { padding: ${({ theme }) => `${theme.space(2)} 0`}; border-top: 1px solid ${({ theme }) => theme.rule}; }
  li p { margin: 0; }
  section > p { margin-top: ${({ theme }) => theme.space(3)}; }
`;

const Two = styled.div`
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 0 ${({ theme }) => theme.space(6)};
  @media (max-width: 999px) { grid-template-columns: minmax(0, 1fr); }
`;

const Row = styled.tr`
  &:hover, &:focus-within { background: ${({ theme }) => theme.leaf}; }
  button { border: 0; background: none; padding: 0; color: inherit; cursor: pointer; text-align: start; }
  select { max-width: 14rem; font: inherit; color: inherit; background: ${({ theme }) => theme.paper}; border: 1px solid ${({ theme }) => theme.edge}; }
`;

/** A file that was chosen, as its text. */
function FileChoice({
  label,
  accept,
  most,
  name,
  onChange,
}: {
  label: string;
  accept: string;
  /** How long its text may be, in UTF-16 code units. */
  most: number;
  name: string | null;
  onChange: (name: string, text: string) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  const [wrong, setWrong] = useState<Error | null>(null);
  return (
    <span>
      <input
        ref={input}
        type="file"
        accept={accept}
        hidden
        aria-label={label}
        onChange={({ target }) => {
          setWrong(null);
          if (target.files?.length)
            readTextFile(target.files, most).then((file) => onChange(file.name, file.text), setWrong);
          // The same file, mended meanwhile, may be chosen again.
          target.value = "";
        }}
      />
      <QuietButton onClick={() => input.current?.click()}>{label}…</QuietButton> <Soft>{name}</Soft>
      {wrong && <Refused error={wrong} />}
    </span>
  );
}

const certainties = { certain: "good", likely: "wait", guess: "wait" } as const;

function Findings({ findings, point }: { findings: readonly FormFinding[]; point: (name: string | null) => void }) {
  if (findings.length === 0) return <p>Nothing wrong was found.</p>;
  return (
    <ol>
      {findings.map((finding) => (
        <li
          key={`${finding.code} ${finding.line} ${finding.column} ${finding.control}`}
          onMouseEnter={() => point(finding.control)}
        >
          <p>
            <Mark kind={finding.severity === "error" ? "stop" : "wait"}>{finding.severity}</Mark> {finding.message}
          </p>
          <Soft>
            {finding.in === "form" ? "Form" : "Handler"}, line {finding.line}. {finding.remedy}
          </Soft>
        </li>
      ))}
    </ol>
  );
}

/** The controls with the columns that they were matched with, each of which can be corrected. */
function Controls({
  controls,
  columns,
  isPending,
  point,
  choose,
}: Pick<AdoptAnswer, "controls" | "columns"> & {
  isPending: boolean;
  point: (name: string | null) => void;
  choose: (control: string, column: string | null) => void;
}) {
  return (
    <Scroll aria-label="Controls and columns" aria-busy={isPending}>
      <Table>
        <Head columns={["Control", "Column", "Why"]} />
        <tbody>
          {controls.map(({ name, label, column, certainty, reasons, line }) => (
            <Row key={`${name} ${line}`} onMouseEnter={() => point(name)} onFocus={() => point(name)}>
              <th scope="row">
                <button type="button" onClick={() => point(name)}>
                  <code>{name}</code> <Soft>{label}</Soft>
                </button>
              </th>
              <td>
                <select
                  aria-label={`Column of ${name}`}
                  value={column ?? ""}
                  onChange={({ target }) => choose(name, target.value === "" ? null : target.value)}
                >
                  <option value="">Not matched</option>
                  {columns.map((each) => (
                    <option key={each} value={each}>
                      {each}
                    </option>
                  ))}
                </select>
              </td>
              <td>
                {certainty && (
                  <Mark kind={certainties[certainty]}>{certainty === "guess" ? "a guess" : certainty}</Mark>
                )}{" "}
                <Soft>{reasons.join(", ")}</Soft>
              </td>
            </Row>
          ))}
        </tbody>
      </Table>
    </Scroll>
  );
}

interface CameProps {
  readonly answer: AdoptAnswer;
  readonly html: string;
  /** The key of the record that the form shows; undefined for a template. */
  readonly recordKey: readonly string[] | undefined;
  readonly isPending: boolean;
  readonly choose: (control: string, column: string | null) => void;
}

function Came({ answer, html, recordKey, isPending, choose }: CameProps) {
  const draft = useImportedDraft();
  const [pointed, point] = useState<string | null>(null);
  const { page, controls, columns, findings, notRead } = answer;
  return (
    <Parts>
      <FormBesidePage
        html={html}
        page={page}
        recordKey={recordKey}
        controls={controls}
        findings={findings}
        pointed={pointed}
      />
      <Two>
        <section>
          <h2>Findings</h2>
          <Findings findings={findings} point={point} />
          {notRead.map(({ line, because }) => (
            <p key={`${line} ${because}`}>
              <Mark kind="wait">not read</Mark> Handler, line {line}: {because}
            </p>
          ))}
        </section>
        {controls.length > 0 && (
          <section>
            <h2>Controls and columns</h2>
            <Controls controls={controls} columns={columns} isPending={isPending} point={point} choose={choose} />
          </section>
        )}
      </Two>
      {page && (
        <section>
          <h2>Page file</h2>
          <Scroll aria-label="Page file">
            <pre>{page.text}</pre>
          </Scroll>
          <p>
            <Strong
              $busy={draft.isPending || isPending}
              onClick={() => draft.begin({ name: page.name, text: page.text, from: "a form" })}
            >
              Create draft
            </Strong>{" "}
            {draft.error && <Refused error={draft.error} />}
          </p>
          {draft.over && <ImportOver over={draft.over} close={draft.reset} />}
        </section>
      )}
    </Parts>
  );
}

interface Source {
  readonly name: string;
  readonly text: string;
}

/** What is asked: the form, and the columns that were chosen for its controls. */
interface Asking {
  readonly form: Source;
  readonly recordKey: readonly string[] | undefined;
  readonly columns: Readonly<Record<string, string | null>>;
}

/** What is said of the tables that a form may be for. */
function toldTables(tables: AdoptTablesAnswer["tables"], chosen: string): string {
  const names = tables.map(({ table }) => table);
  if (names.length === 0) return "No table has columns that are named like its controls. Choose its table.";
  if (names.length > 1) return `It may be for ${names.slice(0, -1).join(", ")} or ${names.at(-1)}. Choose its table.`;
  return chosen === names[0] ? "The table was recognized from the form. Check it, and the record." : "";
}

/** What is asked of a form, step by step: its table and record, found or chosen; then the columns of its controls. */
function useImport() {
  const database = useDatabase();
  const [table, setTable] = useState("");
  /** Whether somebody has chosen the table. */
  const [isChosen, setIsChosen] = useState(false);
  /** Whether somebody has typed the key of the record that the chosen page shows. */
  const [isKeyTyped, setIsKeyTyped] = useState(false);
  const [key, setKey] = useState<Readonly<Record<string, string>>>({});
  const [form, setForm] = useState<Source | null>(null);
  const [handler, setHandler] = useState<Source | null>(null);
  /** What was read last, which stays while it is read once more with another column. */
  const [last, setLast] = useState<{ readonly asked: Asking; readonly answer: AdoptAnswer }>();
  const read = useMutation<AdoptAnswer, ApiProblem, Asking>({
    mutationFn: ({ form: { text }, columns }) =>
      ask<AdoptAnswer>("/adopt", {
        method: "POST",
        body: {
          table,
          key,
          html: text,
          columns,
          handler: handler?.text ?? null,
          zones: [Intl.DateTimeFormat().resolvedOptions().timeZone],
        },
      }),
    onSuccess: (answer, asked) => setLast({ asked, answer }),
  });
  /** Which table it may be for; what somebody has chosen stays. */
  const find = useMutation<AdoptTablesAnswer, ApiProblem, { html: string; handler: string | null }>({
    mutationFn: (body) => ask<AdoptTablesAnswer>("/adopt/tables", { method: "POST", body }),
    onSuccess: ({ tables: [found, ...others] }) => {
      if (!found || others.length > 0 || (isChosen && table !== found.table)) return;
      setTable(found.table);
      if (!isKeyTyped || table !== found.table) setKey(found.key ?? {});
    },
  });
  const tables = (database.data?.tables ?? []).filter(({ because }) => because === null);
  const isTemplate = form?.text.includes("<%") && form.text.includes("%>");
  const columns = isTemplate ? [] : (tables.find((each) => each.table === table)?.keys[0] ?? []);
  const values = columns.map((name) => key[name] ?? "");
  return {
    ...{ database, tables, table, key, form, handler, read, last },
    /** The columns of the key of the record that the form shows: none for a template. */
    columns,
    isReady: form !== null && table !== "" && !values.includes(""),
    /** What is said of the tables that it may be for. */
    told: find.data ? toldTables(find.data.tables, table) : "",
    begin: (): void => {
      if (form) read.mutate({ form, recordKey: isTemplate ? undefined : values, columns: {} });
    },
    chooseForm: (chosen: Source): void => {
      setForm(chosen);
      setIsKeyTyped(false);
      find.mutate({ html: chosen.text, handler: handler?.text ?? null });
    },
    chooseHandler: (chosen: Source): void => {
      setHandler(chosen);
      if (form) find.mutate({ html: form.text, handler: chosen.text });
    },
    chooseTable: (chosen: string): void => {
      setTable(chosen);
      setIsChosen(true);
      setKey(find.data?.tables.find((each) => each.table === chosen)?.key ?? {});
    },
    typeKey: (name: string, value: string): void => {
      setKey({ ...key, [name]: value });
      setIsKeyTyped(true);
    },
  };
}

/** The files, the table and the record that are asked for. */
function Asks({ of }: { of: ReturnType<typeof useImport> }) {
  const { tables, table, columns, key, form, handler, read } = of;
  return (
    <Asked>
      <FileChoice
        label="Choose page"
        accept=".html,.htm,.ejs"
        most={500_000}
        name={form?.name ?? null}
        onChange={(name, text) => of.chooseForm({ name, text })}
      />
      <FileChoice
        label="Choose handler"
        accept=".js,.mjs,.cjs,.ts,.mts,.cts"
        most={100_000}
        name={handler?.name ?? "(optional)"}
        onChange={(name, text) => of.chooseHandler({ name, text })}
      />
      <Choice
        label="Table"
        value={table}
        options={tables.map((each) => ({ id: each.table, text: each.table }))}
        onChange={of.chooseTable}
      />
      {columns.map((name) => (
        <TextLine key={name} label={name} value={key[name] ?? ""} onChange={(value) => of.typeKey(name, value)} />
      ))}
      <Strong disabled={!of.isReady} $busy={read.isPending} onClick={of.begin}>
        {read.isPending ? "Reading…" : "Read form"}
      </Strong>
    </Asked>
  );
}

/** Import form: a form that somebody has written, beside the page that is made of it. */
export default function ImportForm() {
  useDocumentTitle("Import form");
  const of = useImport();
  const { database, tables, read, last, told } = of;
  return (
    <English>
      <Title>Import form</Title>
      <p>
        Open the form of one record in your application, save the page as HTML, and choose it here with the record that
        it shows. A template (EJS) needs no record. What is made of it is a draft; nothing of the form is kept.{" "}
        <Link to="/help/adopting">How forms are read</Link>
      </p>
      {database.isPending && <Waiting height="4rem" what="Loading tables" />}
      {database.error && <Failed error={database.error} again={() => void database.refetch()} />}
      {database.data && tables.length === 0 && (
        <Empty title="No tables">No table has a key by which a record can be edited.</Empty>
      )}
      {tables.length > 0 && <Asks of={of} />}
      {!last && told !== "" && <p role="status">{told}</p>}
      <Heard>{read.data && `${read.data.findings.length} findings`}</Heard>
      {read.error && <Failed error={read.error} again={of.begin} />}
      {/* That which was read, whatever is chosen by now. */}
      {last && (
        <Came
          key={last.asked.form.text}
          answer={last.answer}
          html={last.asked.form.text}
          recordKey={last.asked.recordKey}
          isPending={read.isPending}
          choose={(control, column) =>
            read.mutate({ ...last.asked, columns: { ...last.asked.columns, [control]: column } })
          }
        />
      )}
    </English>
  );
}
