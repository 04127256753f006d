import { styled } from "styled-components";

/** What can be done with the rows that are selected, above their table. */
export const Selected = styled.p`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => theme.space(4)};
  align-items: baseline;
  margin: ${({ theme }) => `${theme.space(2)} 0`};
`;

/** Selects a row. */
export const Tick = styled.input.attrs({ type: "checkbox" })`
  width: 1.25rem;
  height: 1.25rem;
  margin: 0;
  vertical-align: -0.25em;
  accent-color: ${({ theme }) => theme.verdigris};
`;
