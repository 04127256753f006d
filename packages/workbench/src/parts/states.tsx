import { css, styled } from "styled-components";
import { ApiProblem, place } from "../api/client.js";
import { useSignedOut } from "../api/queries.js";
import { type Busy, whileBusy } from "./inputs.js";
import { Mark } from "./mark.js";
import { Title } from "./title.js";

export const Block = styled.div`
  padding: ${({ theme }) => theme.space(6)} 0;
  max-width: 36rem;
  h2 { font-size: 1.125rem; }
  p { color: ${({ theme }) => theme.soft}; }
`;

/** How a button looks that stands for itself. */
export const quiet = css`
  background: none;
  border: 1px solid ${({ theme }) => theme.edge};
  padding: ${({ theme }) => `${theme.space(1)} ${theme.space(3)}`};
  cursor: pointer;
  &:hover { border-color: ${({ theme }) => theme.verdigris}; color: ${({ theme }) => theme.verdigris}; }
  &:disabled, &[aria-disabled="true"] { border-color: ${({ theme }) => theme.edge}; color: ${({ theme }) => theme.soft}; cursor: default; }
`;

export const QuietButton = styled.button.attrs<Busy & { type?: "button" | "submit" }>(
  ({ type = "button", ...props }) => ({
    type,
    ...whileBusy(props),
  }),
)`
  ${quiet}
`;

/** The button that does what is asked about. */
export const Strong = styled(QuietButton)`
  border-color: ${({ theme }) => theme.verdigris};
  color: ${({ theme }) => theme.verdigris};
  font-weight: 700;
`;

/** Nothing is there, and what would bring something. */
export function Empty({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Block>
      <h2>{title}</h2>
      <p>{children}</p>
    </Block>
  );
}

const Wrapped = styled.span`
  > span { white-space: normal; }
`;

/** The way to a session, in another window, so that what is on the screen stays. */
const SignInLink = () => (
  <a href={place} target="_blank" rel="noopener">
    Sign in (opens a new tab)
  </a>
);

const isWithoutSession = (error: Error): boolean => error instanceof ApiProblem && error.status === 401;

/** Without a session nothing is saved. `left` says what becomes of what is on the screen. */
export function SignedOut({ left }: { left: string }) {
  return (
    <Wrapped role="alert">
      <Mark kind="stop">You are signed out. {left}</Mark> <SignInLink />
    </Wrapped>
  );
}

/** Why something could not be done, beside the button that does it. */
export function Refused({ error }: { error: Error }) {
  const isOut = useSignedOut();
  if (!isWithoutSession(error))
    return (
      <Wrapped role="alert">
        <Mark kind="stop">{error.message}</Mark>
      </Wrapped>
    );
  return isOut ? (
    <SignedOut left="Nothing was done." />
  ) : (
    <Mark kind="wait">You are signed in again. Try once more.</Mark>
  );
}

/** Something could not be had: what, why, and another try. */
export function Failed({ error, again }: { error: Error; again: () => void }) {
  const title = error instanceof ApiProblem ? error.title : "Something went wrong here";
  return (
    <Block role="alert">
      <h2>{title}</h2>
      <p>{error.message}</p>
      {isWithoutSession(error) ? <SignInLink /> : <QuietButton onClick={again}>Try again</QuietButton>}
    </Block>
  );
}

interface WaitingProps {
  readonly height: string;
  readonly what: string;
  /** Whether it stands for a whole place, whose heading is still on its way with the rest. */
  readonly isPlace?: boolean;
}

/** A place kept while an answer is on its way, so that nothing jumps when it comes. */
export function Waiting({ height, what, isPlace = false }: WaitingProps) {
  return (
    <div style={{ minHeight: height }} role="status">
      {isPlace ? <Title>{what} …</Title> : <Block as="p">{what} …</Block>}
    </div>
  );
}
