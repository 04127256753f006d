import type { KeptPersonAnswer, PersonAnswer } from "@loyal-quill/server/api";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { styled } from "styled-components";
import { ApiProblem, ask } from "../api/client.js";
import { askAnew } from "../api/made-of.js";
import { AskedFirst } from "../parts/asked-first.js";
import { CheckBox, Line, Text, TextLine } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { QuietButton, Refused } from "../parts/states.js";
import { type AccountTexts, type AccountValues, takeOver, textsOf, valuesOf } from "./account-texts.js";

const Form = styled.form`
  display: grid;
  gap: ${({ theme }) => theme.space(1.5)};
  max-width: 34rem;
  margin-bottom: ${({ theme }) => theme.space(6)};
  p { display: flex; flex-wrap: wrap; gap: ${({ theme }) => theme.space(4)}; align-items: baseline; }
  input { font-family: inherit; }
`;

const Area = styled(Text)`
  font: 0.8125rem/1.5 ${({ theme }) => theme.wire} !important;
`;

const Theirs = styled.span`
  grid-column: 2;
  overflow-wrap: anywhere;
  > span { white-space: normal; }
`;

const nobody: AccountValues = { email: "", name: "", roles: [], active: true, attributes: {} };
const valuesOfPerson = ({ email, name, roles, attributes, active }: AccountValues): AccountValues => ({
  email,
  name,
  roles,
  attributes,
  active,
});

interface Kept {
  readonly id: string | null;
  readonly path?: string;
  readonly body: unknown;
}

function useKeep() {
  const queries = useQueryClient();
  const refresh = () => askAnew(queries, "people");
  return useMutation<KeptPersonAnswer, Error, Kept>({
    mutationFn: ({ id, path = "", body }) =>
      ask<KeptPersonAnswer>(`/people${id === null ? "" : `/${id}`}${path}`, {
        method: id === null || path !== "" ? "POST" : "PUT",
        body,
      }),
    onSuccess: () => void refresh(),
    // Somebody else was faster: what they made of it is shown beside what is typed.
    onError: (error) => void (error instanceof ApiProblem && error.status === 409 && refresh()),
  });
}

/** Says of a value that was typed what somebody else has made of it meanwhile. */
function Meanwhile({ value }: { value: string | boolean | undefined }) {
  if (value === undefined) return null;
  const now = typeof value === "boolean" ? (value ? "can sign in" : "disabled") : value === "" ? "empty" : value;
  return (
    <Line>
      <Theirs role="status">
        <Mark kind="wait">Changed by somebody else meanwhile: {now}. Saving replaces it.</Mark>
      </Theirs>
    </Line>
  );
}

/** An account that is made, or changed. */
export function PersonForm({ person }: { person: PersonAnswer | null }) {
  const latest = valuesOfPerson(person ?? nobody);
  const id = useId();
  const [was, setWas] = useState(latest);
  const [texts, setTexts] = useState(textsOf(latest));
  const [theirs, setTheirs] = useState<Partial<AccountTexts>>({});
  const [password, setPassword] = useState<string>();
  const keep = useKeep();
  // It is another one by now: what is untouched here follows it.
  if (JSON.stringify(latest) !== JSON.stringify(was)) {
    const taken = takeOver(texts, textsOf(was), textsOf(latest));
    setWas(latest);
    setTexts(taken.texts);
    setTheirs({ ...theirs, ...taken.theirs });
  }
  const set = (change: Partial<AccountTexts>): void => setTexts({ ...texts, ...change });
  const send = (asked: Kept): void => {
    setPassword(undefined);
    keep.mutate(asked, {
      onSuccess: ({ person: kept, password: made }) => {
        setTheirs({});
        setPassword(made);
        if (!person) return;
        // What was typed while it was saved stays.
        setTexts((now) => takeOver(now, texts, textsOf(kept)).texts);
        setWas(valuesOfPerson(kept));
      },
    });
  };
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        send({ id: person?.id ?? null, body: { ...valuesOf(texts, was), ...(person ? { was } : {}) } });
      }}
    >
      <h2>{person ? person.name : "New account"}</h2>
      <TextLine label="Name" value={texts.name} onChange={(name) => set({ name })} />
      <Meanwhile value={theirs.name} />
      <TextLine label="E-mail" value={texts.email} onChange={(email) => set({ email })} />
      <Meanwhile value={theirs.email} />
      <TextLine
        label="Roles"
        value={texts.roles}
        placeholder="hydrologist, builder"
        onChange={(roles) => set({ roles })}
      />
      <Meanwhile value={theirs.roles} />
      <Line>
        <label htmlFor={id}>Attributes</label>
        <Area
          as="textarea"
          id={id}
          rows={3}
          value={texts.attributes}
          placeholder="region_id: 2"
          onChange={(event: { target: { value: string } }) => set({ attributes: event.target.value })}
        />
      </Line>
      <Meanwhile value={theirs.attributes} />
      <Line>
        <span>Account</span>
        <span>
          <CheckBox label="Can sign in" checked={texts.active} onChange={(active) => set({ active })} />
        </span>
      </Line>
      <Meanwhile value={theirs.active} />
      <p>
        <QuietButton type="submit" $busy={keep.isPending}>
          {person ? "Save" : "Create account"}
        </QuietButton>
        {person && (
          <AskedFirst
            does="Reset password"
            title={`Reset password of ${person.name}`}
            isBusy={keep.isPending}
            onDo={() => send({ id: person.id, path: "/password", body: {} })}
          >
            They are signed out everywhere. A new password is shown here once; they change it when they sign in with it.
          </AskedFirst>
        )}
        <span role="status">
          {keep.isSuccess && password === undefined && <Mark kind="good">Saved</Mark>}
          {password !== undefined && (
            <>
              Password, shown this once: <code>{password}</code>
            </>
          )}
        </span>
        {keep.error && <Refused error={keep.error} />}
      </p>
    </Form>
  );
}
