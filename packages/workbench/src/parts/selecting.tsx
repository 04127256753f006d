import type { ReactNode } from "react";
import { styled } from "styled-components";
import { Small } from "./inputs.js";

/** What can be done with the rows of a table, in a line. */
export const Doings = styled.p`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => theme.space(4)};
  align-items: baseline;
  margin: ${({ theme }) => `${theme.space(2)} 0`};
`;

const AtFoot = styled(Doings)`
  position: sticky;
  bottom: 0;
  margin: 0;
  padding: ${({ theme }) => `${theme.space(2)} 0`};
  background: ${({ theme }) => theme.paper};
  border-top: 1px solid ${({ theme }) => theme.edge};
  > span { margin: 0; }
`;

/**
 * What can be done with the rows that are selected, and that there are new ones: at the foot of the window, so that no row moves when it comes.
 *
 * @param fresh what shows those that wait, in words
 */
export function Foot({ fresh, show, children }: { fresh: string | null; show: () => void; children?: ReactNode }) {
  if (fresh === null && !children) return null;
  return (
    <AtFoot>
      {children && (
        <Doings as="span" role="status">
          {children}
        </Doings>
      )}
      {fresh !== null && (
        <Small type="button" onClick={show}>
          {fresh}
        </Small>
      )}
    </AtFoot>
  );
}

/** Selects a row. */
export const Tick = styled.input.attrs({ type: "checkbox" })`
  width: 1.25rem;
  height: 1.25rem;
  margin: 0;
  vertical-align: -0.25em;
  accent-color: ${({ theme }) => theme.verdigris};
`;
