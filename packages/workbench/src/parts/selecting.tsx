import type { ReactNode } from "react";
import { styled } from "styled-components";
import { figure } from "./figures.js";
import { Heard } from "./heard.js";
import { Small } from "./inputs.js";
import type { Chosen } from "./use-chosen.js";
import type { Held } from "./use-held.js";

/** What can be done with the rows of a table, in a line. */
export const Actions = styled.p`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => theme.space(4)};
  align-items: baseline;
  margin: ${({ theme }) => `${theme.space(2)} 0`};
`;

const AtFoot = styled(Actions)`
  position: sticky;
  bottom: 0;
  margin: 0;
  padding: ${({ theme }) => `${theme.space(2)} 0`};
  background: ${({ theme }) => theme.paper};
  border-top: 1px solid ${({ theme }) => theme.edge};
  > span { margin: 0; }
`;

const showNew = {
  requests: (count: number) => (count === 1 ? "Show 1 new request" : `Show ${figure(count)} new requests`),
  changes: (count: number) => (count === 1 ? "Show 1 new change" : `Show ${figure(count)} new changes`),
};

interface FootProps {
  readonly list: keyof typeof showNew;
  readonly held: Held<unknown>;
  /** Of a list whose rows can be selected. */
  readonly chosen?: Chosen;
  /** What can be done with the rows that are selected. */
  readonly children?: ReactNode;
}

/** What can be done with the rows that are selected, and that there are new ones: at the foot of the window, so that no row moves when it comes. */
export function Foot({ list, held: { fresh, show }, chosen, children }: FootProps) {
  const selected = chosen !== undefined && chosen.ids.size > 0 && `${figure(chosen.ids.size)} selected`;
  return (
    <>
      {chosen && <Heard>{selected}</Heard>}
      {(selected || fresh > 0) && (
        <AtFoot>
          {selected && (
            <Actions as="span">
              <span>{selected}</span>
              {children}
              <Small type="button" onClick={chosen?.clear}>
                Clear selection
              </Small>
            </Actions>
          )}
          {fresh > 0 && (
            <Small type="button" onClick={show}>
              {showNew[list](fresh)}
            </Small>
          )}
        </AtFoot>
      )}
    </>
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
