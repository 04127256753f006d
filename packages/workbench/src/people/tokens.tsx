import type { MadeTokenAnswer, MayAnswer, PersonAnswer, TokenAnswer } from "@loyal-quill/server/api";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { styled } from "styled-components";
import { type ApiProblem, ask } from "../api/client.js";
import { useMay } from "../api/queries.js";
import { CheckBox, Line, SelectLine, Small, TextLine } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { Failed, QuietButton } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { texts } from "../texts.js";

const says = texts.tokens;

const Form = styled.form`
  display: grid;
  gap: ${({ theme }) => theme.space(1.5)};
  max-width: 34rem;
  margin: ${({ theme }) => `${theme.space(3)} 0 ${theme.space(6)}`};
  p { display: flex; flex-wrap: wrap; gap: ${({ theme }) => theme.space(4)}; align-items: baseline; }
  code { overflow-wrap: anywhere; }
  input { font-family: inherit; }
`;

const Soft = styled.p`
  color: ${({ theme }) => theme.soft};
  max-width: 44rem;
`;

const address = (person: PersonAnswer): string => `/people/${encodeURIComponent(person.id)}/tokens`;
const known = (person: PersonAnswer) => ["tokens", person.id];

function Row({ token, person }: { token: TokenAnswer; person: PersonAnswer }) {
  const queries = useQueryClient();
  const revoke = useMutation<unknown, ApiProblem>({
    mutationFn: () => ask(`${address(person)}/${token.id}`, { method: "DELETE" }),
    onSuccess: () => queries.invalidateQueries({ queryKey: known(person) }),
  });
  const isOver = Date.parse(token.endsAt) <= Date.now();
  return (
    <tr>
      <th scope="row">{token.name}</th>
      <td>{token.pages?.join(", ") ?? says.allPages}</td>
      <td>{isOver ? <Mark kind="wait">{says.expired}</Mark> : <Moment at={token.endsAt} />}</td>
      <td>{token.usedAt === null ? says.never : <Moment at={token.usedAt} />}</td>
      <td>{token.madeBy}</td>
      <td>
        <Small type="button" aria-label={says.revokeToken(token.name)} onClick={() => revoke.mutate()}>
          {says.revoke}
        </Small>
        {revoke.error && <Mark kind="stop">{revoke.error.message}</Mark>}
      </td>
    </tr>
  );
}

const AllPages = styled.span`
  display: block;
  color: ${({ theme }) => theme.soft};
`;

const days = [
  { id: "7", text: says.days(7) },
  { id: "30", text: says.days(30) },
  { id: "90", text: says.days(90) },
  { id: "365", text: says.days(365) },
];

function NewToken({ person, pages }: { person: PersonAnswer; pages: readonly MayAnswer[] }) {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const [until, setUntil] = useState("90");
  const make = useMutation<MadeTokenAnswer, ApiProblem>({
    mutationFn: () =>
      ask<MadeTokenAnswer>(address(person), {
        method: "POST",
        body: { name, pages: chosen.length > 0 ? chosen : null, days: Number(until) },
      }),
    onSuccess: () => {
      setName("");
      void queries.invalidateQueries({ queryKey: known(person) });
    },
  });
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate();
      }}
    >
      <TextLine label={says.name} value={name} placeholder={says.exampleOfAName} onChange={setName} />
      <Line>
        <span>{says.pages}</span>
        <span>
          {pages.map(({ page, plural }) => (
            <CheckBox
              key={page}
              label={plural}
              checked={chosen.includes(page)}
              onChange={(on) => setChosen(on ? [...chosen, page] : chosen.filter((each) => each !== page))}
            />
          ))}
          <AllPages>{chosen.length === 0 && says.allPagesOfTheAccount}</AllPages>
        </span>
      </Line>
      <SelectLine label={says.expiresIn} value={until} options={days} onChange={setUntil} />
      <p>
        <QuietButton type="submit" disabled={make.isPending || name.trim() === ""}>
          {says.createToken}
        </QuietButton>
        <span role="status">
          {make.data && (
            <>
              {says.tokenShownThisOnce}
              <code>{make.data.token}</code>
            </>
          )}
        </span>
        {make.error && <Mark kind="stop">{make.error.message}</Mark>}
      </p>
    </Form>
  );
}

/** The tokens by which programs act as an account. */
export function Tokens({ person }: { person: PersonAnswer }) {
  const tokens = useQuery({
    queryKey: known(person),
    queryFn: ({ signal }) => ask<readonly TokenAnswer[]>(address(person), { signal }),
  });
  const may = useMay(person.id);
  return (
    <section aria-label={says.apiTokens}>
      <h2>{says.apiTokens}</h2>
      <Soft>{says.aProgramSendsItAs}</Soft>
      {tokens.error && <Failed error={tokens.error} again={() => void tokens.refetch()} />}
      {tokens.data && tokens.data.length > 0 && (
        <Scroll aria-label={says.apiTokens}>
          <Table>
            <Head columns={[says.name, says.pages, says.expires, says.lastUsed, says.createdBy, says.revoke]} />
            <tbody>
              {tokens.data.map((token) => (
                <Row key={token.id} token={token} person={person} />
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      <NewToken person={person} pages={may.data ?? []} />
    </section>
  );
}
