import type { MadeTokenAnswer, MayAnswer, PersonAnswer, TokenAnswer } from "@loyal-quill/server/api";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { styled } from "styled-components";
import { type ApiProblem, ask } from "../api/client.js";
import { madeOf } from "../api/made-of.js";
import { useMay } from "../api/queries.js";
import { AskedFirst } from "../parts/asked-first.js";
import { CheckBox, Line, SelectLine, TextLine } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { Failed, QuietButton, Refused } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";

const daysText = (count: string | number) => `${count} days`;

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
      <td>{token.pages?.join(", ") ?? "all"}</td>
      <td>{isOver ? <Mark kind="wait">Expired</Mark> : <Moment at={token.endsAt} />}</td>
      <td>{token.usedAt === null ? "never" : <Moment at={token.usedAt} />}</td>
      <td>{token.madeBy}</td>
      <td>
        <AskedFirst does="Revoke" title={`Revoke ${token.name}`} isBusy={revoke.isPending} onDo={() => revoke.mutate()}>
          Programs that use this token can’t open or change anything any more. A revoked token can’t be had back.
        </AskedFirst>
        {revoke.error && <Refused error={revoke.error} />}
      </td>
    </tr>
  );
}

const AllPages = styled.span`
  display: block;
  color: ${({ theme }) => theme.soft};
`;

const days = [
  { id: "7", text: daysText(7) },
  { id: "30", text: daysText(30) },
  { id: "90", text: daysText(90) },
  { id: "365", text: daysText(365) },
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
      <TextLine label="Name" value={name} placeholder="nightly import" onChange={setName} />
      <Line>
        <span>Pages</span>
        <span>
          {pages.map(({ page, plural }) => (
            <CheckBox
              key={page}
              label={plural}
              checked={chosen.includes(page)}
              onChange={(on) => setChosen(on ? [...chosen, page] : chosen.filter((each) => each !== page))}
            />
          ))}
          <AllPages>{chosen.length === 0 && "None chosen: all pages that the account may open."}</AllPages>
        </span>
      </Line>
      <SelectLine label="Expires in" value={until} options={days} onChange={setUntil} />
      <p>
        <QuietButton type="submit" $busy={make.isPending || name.trim() === ""}>
          Create token
        </QuietButton>
        <span role="status">
          {make.data && (
            <>
              Token, shown this once: <code>{make.data.token}</code>
            </>
          )}
        </span>
        {make.error && <Refused error={make.error} />}
      </p>
    </Form>
  );
}

/** The tokens by which programs act as an account. */
export function Tokens({ person }: { person: PersonAnswer }) {
  const tokens = useQuery({
    queryKey: known(person),
    queryFn: ({ signal }) => ask<readonly TokenAnswer[]>(address(person), { signal }),
    staleTime: 0,
    ...madeOf("people"),
  });
  const may = useMay(person.id);
  return (
    <section aria-label="API tokens">
      <h2>API tokens</h2>
      <Soft>
        A program acts as this account by a token, sent as “Authorization: Bearer …”. It opens the pages that are chosen
        here and can do there what the account may. What is changed stands in the log with the token’s name.
      </Soft>
      {tokens.error && <Failed error={tokens.error} again={() => void tokens.refetch()} />}
      {tokens.data && tokens.data.length > 0 && (
        <Scroll aria-label="Tokens of this account">
          <Table>
            <Head columns={["Name", "Pages", "Expires", "Last used", "Created by", "Revoke"]} />
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
