import { css, styled } from "styled-components";
import { ApiProblem } from "../api/client.js";

const Block = styled.div`
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

export const QuietButton = styled.button.attrs<{ type?: "button" | "submit" }>(({ type = "button" }) => ({ type }))`
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

/** Something could not be had: what, why, and another try. */
export function Failed({ error, again }: { error: Error; again: () => void }) {
  const title = error instanceof ApiProblem ? error.title : "Something went wrong here";
  return (
    <Block role="alert">
      <h2>{title}</h2>
      <p>{error.message}</p>
      {error instanceof ApiProblem && error.status === 401 ? (
        // Without a session this address leads to the sign-in, whoever's that is, and back.
        <a href={location.pathname + location.search}>Sign in</a>
      ) : (
        <QuietButton onClick={again}>Try again</QuietButton>
      )}
    </Block>
  );
}

/** A place kept while an answer is on its way, so that nothing jumps when it comes. */
export function Waiting({ height, what }: { height: string; what: string }) {
  return (
    <div style={{ minHeight: height }} role="status">
      <Block as="p">{what} …</Block>
    </div>
  );
}
