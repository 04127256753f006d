import type { PersonAnswer, PersonSession } from "@loyal-quill/server/api";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { styled } from "styled-components";
import { type ApiProblem, ask } from "../api/client.js";
import { askAnew, madeOf } from "../api/made-of.js";
import { AskedFirst } from "../parts/asked-first.js";
import { Moment } from "../parts/moment.js";
import { Failed, Refused } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";

const Part = styled.section`
  margin-bottom: ${({ theme }) => theme.space(6)};
  p { display: flex; flex-wrap: wrap; gap: ${({ theme }) => theme.space(4)}; align-items: baseline; margin-bottom: ${({ theme }) => theme.space(2)}; }
`;

/** How an account signs in, and where it is signed in now. */
export function SignIn({ person }: { readonly person: PersonAnswer }) {
  const queries = useQueryClient();
  const address = `/people/${encodeURIComponent(person.id)}`;
  const sessions = useQuery<PersonSession[], ApiProblem>({
    queryKey: ["sessions", person.id],
    queryFn: ({ signal }) => ask<PersonSession[]>(`${address}/sessions`, { signal }),
    staleTime: 0,
    ...madeOf("people"),
  });
  const again = () => askAnew(queries, "people");
  const end = useMutation<unknown, ApiProblem>({
    mutationFn: () => ask(`${address}/sessions`, { method: "DELETE" }),
    onSuccess: again,
  });
  const off = useMutation<unknown, ApiProblem>({
    mutationFn: () => ask(`${address}/factor`, { method: "DELETE" }),
    onSuccess: again,
  });
  const error = end.error ?? off.error;
  return (
    <Part aria-label="Sign-in">
      <h2>Sign-in</h2>
      <p>
        <span>
          With {person.elsewhere ?? "a password"}, {person.factor ? "and" : "without"} a second factor.
        </span>
        {person.factor && (
          <AskedFirst
            does="Remove the second factor"
            title={`Remove the second factor of ${person.name}`}
            isBusy={off.isPending}
            onDo={() => off.mutate()}
          >
            They are signed out everywhere, and sign in with the password alone until they have set up another one.
          </AskedFirst>
        )}
      </p>
      {sessions.error && <Failed error={sessions.error} again={() => void sessions.refetch()} />}
      {sessions.data?.length === 0 && <p>Not signed in anywhere now.</p>}
      {sessions.data && sessions.data.length > 0 && (
        <>
          <Scroll aria-label="Sessions">
            <Table>
              <Head columns={["Signed in", "Last used", "From", "Browser"]} />
              <tbody>
                {sessions.data.map((session) => (
                  <tr key={`${session.since} ${session.address} ${session.agent}`}>
                    <th scope="row">
                      <Moment at={session.since} />
                    </th>
                    <td>
                      <Moment at={session.used} />
                    </td>
                    <td>
                      <code>{session.address}</code>
                    </td>
                    <td>{session.agent}</td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroll>
          <p style={{ marginTop: "0.5rem" }}>
            <AskedFirst
              does="End all sessions"
              title={`End all sessions of ${person.name}`}
              isBusy={end.isPending}
              onDo={() => end.mutate()}
            >
              They are signed out everywhere, and sign in again. What they are typing is kept until then.
            </AskedFirst>
          </p>
        </>
      )}
      {error && <Refused error={error} />}
    </Part>
  );
}
