import type { MayAnswer, PersonAnswer } from "@loyal-quill/server/api";
import { Link, useSearchParams } from "react-router";
import { styled } from "styled-components";
import { useMay, usePeople, useSession } from "../api/queries.js";
import { figure } from "../parts/figures.js";
import { Mark } from "../parts/mark.js";
import { Empty, Failed, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { PersonForm } from "./person-form.js";
import { SignIn } from "./sign-in.js";
import { Tokens } from "./tokens.js";

const Two = styled.div`
  display: grid;
  grid-template-columns: 22rem minmax(0, 1fr);
  @media (max-width: 999px) { grid-template-columns: minmax(0, 1fr); }
  gap: ${({ theme }) => theme.space(8)};
  margin-top: ${({ theme }) => theme.space(3)};
  h2 { font-size: 1.125rem; margin-bottom: ${({ theme }) => theme.space(2)}; }
`;

const List = styled.ul`
  > li { border-bottom: 1px solid ${({ theme }) => theme.rule}; }
  button { width: 100%; text-align: start; border: 0; background: none; padding: ${({ theme }) => `${theme.space(1.5)} ${theme.space(2)}`}; padding-left: calc(${({ theme }) => theme.space(2)} + 3px); cursor: pointer; }
  button[aria-pressed="true"] { border-left: 3px solid ${({ theme }) => theme.verdigris}; padding-left: ${({ theme }) => theme.space(2)}; font-weight: 700; }
  button > span:last-child { color: ${({ theme }) => theme.soft}; font-weight: 400; display: block; overflow-wrap: anywhere; }
`;

const Soft = styled.span`
  color: ${({ theme }) => theme.soft};
`;

const count = (value: number | null) => (value === null ? <Soft>unknown</Soft> : <code>{figure(value)}</code>);

function Row({ may, person }: { may: MayAnswer; person: PersonAnswer }) {
  const isBuilder = useSession().data?.roles.includes("builder") === true;
  return (
    <tr>
      <th scope="row">{may.plural}</th>
      <td>{may.opens ? <Mark kind="good">Can open</Mark> : <Mark kind="quiet">No access</Mark>}</td>
      <td className="figure">{may.opens && count(may.sees)}</td>
      <td className="figure">{may.opens && count(may.edits)}</td>
      <td className="figure">{may.opens && count(may.deletes)}</td>
      <td className="figure">{count(may.rows)}</td>
      <td>{may.opens && (may.makes ? "yes" : "no")}</td>
      {isBuilder && (
        <td>
          <Link to={`/pages/${encodeURIComponent(may.page)}?as=${encodeURIComponent(person.id)}`}>
            View as this person
          </Link>
        </td>
      )}
    </tr>
  );
}

function May({ person }: { person: PersonAnswer }) {
  const isBuilder = useSession().data?.roles.includes("builder") === true;
  const may = useMay(person.id);
  if (may.isPending) return <Waiting height="14rem" what="Counting rows" />;
  if (may.error) return <Failed error={may.error} again={() => void may.refetch()} />;
  return (
    <>
      <h2>Access of {person.name}</h2>
      {!person.active && (
        <p>
          <Mark kind="wait">This account is disabled. It will have this access once it is enabled again.</Mark>
        </p>
      )}
      <Scroll aria-label="Access">
        <Table>
          <Head
            columns={[
              "Page",
              "Can open",
              "Can see",
              "Can edit",
              "Can delete",
              "Of rows",
              "Can create",
              ...(isBuilder ? ["Try"] : []),
            ]}
            figures={["Can see", "Can edit", "Can delete", "Of rows"]}
          />
          <tbody>
            {may.data.map((each) => (
              <Row key={each.page} may={each} person={person} />
            ))}
          </tbody>
        </Table>
      </Scroll>
    </>
  );
}

/** People: accounts, roles, what each may open and edit, and each page as they would see it. */
export default function PeopleRoute() {
  const people = usePeople();
  const session = useSession().data;
  const accountsHere = session?.accountsHere !== false;
  const isAdministrator = accountsHere && session?.roles.includes("administrator") === true;
  const [search, setSearch] = useSearchParams();
  const chosen = search.get("person");
  useDocumentTitle("People");
  const choose = (id: string): void => setSearch({ person: id });
  const person = people.data?.find((each) => each.id === chosen);
  return (
    <>
      <Title>People</Title>
      {people.isPending && <Waiting height="60vh" what="Loading accounts" />}
      {people.error && <Failed error={people.error} again={() => void people.refetch()} />}
      {people.data && (
        <Two>
          <nav aria-label="Accounts">
            <List>
              {people.data.map((each) => (
                <li key={each.id}>
                  <button type="button" aria-pressed={each.id === chosen} onClick={() => choose(each.id)}>
                    {each.name} {!each.active && <Mark kind="wait">Disabled</Mark>}
                    <span>
                      {each.roles.join(", ") || "no role"}, {each.email}
                    </span>
                  </button>
                </li>
              ))}
              {isAdministrator && (
                <li>
                  <button type="button" aria-pressed={chosen === "new"} onClick={() => choose("new")}>
                    New account…
                  </button>
                </li>
              )}
            </List>
          </nav>
          <div>
            {chosen === "new" && isAdministrator && <PersonForm key="new" person={null} />}
            {person && (
              <>
                <May person={person} />
                <div style={{ height: "1.5rem" }} />
                {isAdministrator ? (
                  <>
                    <PersonForm key={person.id} person={person} />
                    <SignIn key={`sessions of ${person.id}`} person={person} />
                    <Tokens key={`tokens of ${person.id}`} person={person} />
                  </>
                ) : (
                  <Soft as="p">
                    {accountsHere
                      ? "Accounts are changed by somebody with the role administrator."
                      : "Accounts are those of the application that this workbench is a part of."}
                  </Soft>
                )}
              </>
            )}
            {!person && chosen !== "new" && (
              <Empty title="No account selected">
                Choose somebody to see which pages they open, how many records they see and may edit, and to try each
                page as they see it.
              </Empty>
            )}
          </div>
        </Two>
      )}
    </>
  );
}
