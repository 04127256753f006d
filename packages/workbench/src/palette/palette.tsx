import { useEffect, useRef } from "react";
import {
  Autocomplete,
  Dialog,
  Input,
  Menu,
  MenuItem,
  Modal,
  ModalOverlay,
  TextField,
  useFilter,
} from "react-aria-components";
import { useNavigate } from "react-router";
import { styled } from "styled-components";
import { place, placeOf } from "../api/client.js";
import { useDatabase, useDatabases, usePages, usePeople } from "../api/queries.js";
import { type Passed, useNewDraft } from "../database/use-new-draft.js";
import { documents } from "../help/documents.js";
import { English } from "../parts/english.js";
import { type Command, commandsHere } from "./commands.js";

const Over = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  background: rgb(0 0 0 / 30%);
  z-index: 20;
`;

const Leaf = styled(Modal)`
  position: absolute;
  top: 12vh;
  left: 50%;
  translate: -50% 0;
  width: min(40rem, 92vw);
  background: ${({ theme }) => theme.leaf};
  color: ${({ theme }) => theme.ink};
  border: 1px solid ${({ theme }) => theme.edge};
  section { outline: none; }
  input { width: 100%; border: 0; border-bottom: 1px solid ${({ theme }) => theme.rule}; background: none; padding: ${({ theme }) => theme.space(3)}; font-size: 1.125rem; outline: none; }
  input::-webkit-search-cancel-button { display: none; }
`;

const Scroller = styled.div.attrs({ tabIndex: 0, role: "group" })`
  max-height: 50vh;
  overflow: auto;
`;

const Commands = styled(Menu)`
  outline: none;
  padding: ${({ theme }) => `${theme.space(1)} 0`};
` as typeof Menu;

const Found = styled(MenuItem)`
  display: flex;
  justify-content: space-between;
  gap: ${({ theme }) => theme.space(4)};
  padding: ${({ theme }) => `${theme.space(1)} ${theme.space(3)}`};
  cursor: default;
  outline: none;
  span { color: ${({ theme }) => theme.soft}; white-space: nowrap; }
  &[data-focused] { background: ${({ theme }) => theme.wash}; outline: 2px solid ${({ theme }) => theme.verdigris}; outline-offset: -2px; }
`;

const Nothing = styled.p`
  padding: ${({ theme }) => theme.space(3)};
  color: ${({ theme }) => theme.soft};
`;

/** Everything that can be reached or done from here, and why something is missing. */
function useEntries(): { readonly all: readonly Command[]; readonly error: Error | null } {
  const navigate = useNavigate();
  const pages = usePages();
  const database = useDatabase();
  const people = usePeople();
  const databases = useDatabases();
  const draft = useNewDraft(
    // By then the palette is closed: the place of the table tells it.
    ({ message }, from) =>
      "table" in from &&
      void navigate(`/database/${encodeURIComponent(from.table)}`, { state: { refused: message } satisfies Passed }),
  );
  const to = (path: string) => () => void navigate(path);
  const all = [
    ...commandsHere(),
    { id: "pages", text: "Pages", what: "place", run: to("/") },
    { id: "requests", text: "Requests", what: "place", run: to("/requests") },
    { id: "database", text: "Database", what: "place", run: to("/database") },
    { id: "people", text: "People", what: "place", run: to("/people") },
    { id: "changes", text: "Changes", what: "place", run: to("/changes") },
    { id: "verification", text: "Verification of the change log", what: "place", run: to("/changes/verification") },
    { id: "trail", text: "Trail", what: "place", run: to("/trail") },
    ...(pages.data ?? []).map(({ name, plural, table }) => ({
      id: `page ${name}`,
      text: `${plural}, ${table || name}`,
      what: "Sheet",
      run: to(`/pages/${encodeURIComponent(name)}`),
    })),
    ...(database.data?.tables ?? []).flatMap(({ table, because }) => [
      { id: `table ${table}`, text: table, what: "table", run: to(`/database/${encodeURIComponent(table)}`) },
      ...(because === null
        ? [
            {
              id: `draft ${table}`,
              text: `Create draft for ${table}`,
              what: "new page",
              run: () => draft.mutate({ table }),
            },
          ]
        : []),
    ]),
    ...(people.data ?? []).map(({ id, name, roles }) => ({
      id: `person ${id}`,
      text: `${name}, ${roles.join(", ")}`,
      what: "person",
      run: to(`/people?person=${id}`),
    })),
    ...(databases.data ?? [])
      .filter(({ name }) => placeOf(name) !== place)
      .map(({ name, database }) => ({
        id: `database ${name}`,
        text: `The database ${database || name}`,
        what: "database",
        run: () => location.assign(placeOf(name)),
      })),
    ...Object.entries(documents).map(([name, title]) => ({
      id: `help ${name}`,
      text: `Help: ${title}`,
      what: "document",
      run: to(`/help/${name}`),
    })),
    { id: "new person", text: "New account…", what: "person", run: to("/people?person=new") },
  ];
  return { all, error: pages.error ?? database.error ?? people.error };
}

function Entries({ close }: { close: () => void }) {
  const { all: entries, error } = useEntries();
  const picked = useRef<Command>(undefined);
  // What was picked runs when the palette is gone and has given the focus back: it may open a dialog or want the focus.
  useEffect(
    () => () => {
      const command = picked.current;
      if (command) requestAnimationFrame(() => command.run());
    },
    [],
  );
  const { contains } = useFilter({ sensitivity: "base" });
  /** Every word that is typed must stand in it, in any order. */
  const filter = (text: string, typed: string): boolean => typed.split(/\s+/).every((word) => contains(text, word));
  return (
    <Autocomplete filter={filter}>
      <TextField aria-label="Search commands" autoFocus>
        <Input placeholder="Search pages, tables, people and commands" />
      </TextField>
      <Scroller aria-label="Found">
        <Commands
          aria-label="Found"
          items={entries}
          onAction={(id) => {
            picked.current = entries.find((entry) => entry.id === id);
            close();
          }}
          renderEmptyState={() => (
            <Nothing>{error ? `Not everything could be loaded. ${error.message}` : "No matches"}</Nothing>
          )}
        >
          {(entry) => (
            <Found id={entry.id} textValue={`${entry.text} ${entry.what}`}>
              {entry.text}
              <span>{entry.what}</span>
            </Found>
          )}
        </Commands>
      </Scroller>
    </Autocomplete>
  );
}

/** Reaches everything by its name: Ctrl+K, or Cmd+K. */
export default function Palette({ isOpen, setOpen }: { isOpen: boolean; setOpen: (open: boolean) => void }) {
  return (
    <English>
      <Over isDismissable isOpen={isOpen} onOpenChange={setOpen}>
        <Leaf>
          <Dialog aria-label="Search commands">{({ close }) => <Entries close={close} />}</Dialog>
        </Leaf>
      </Over>
    </English>
  );
}
