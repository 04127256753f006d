import { styled } from "styled-components";

/** What is told to who can't see that something has come: the number of what a search found, the end of a run. */
export const Heard = styled.p.attrs({ role: "status" })`
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
`;
