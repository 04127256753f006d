import { NavLink } from "react-router";
import { styled } from "styled-components";

const Nav = styled.nav`
  display: flex;
  gap: ${({ theme }) => theme.space(4)};
  a { color: ${({ theme }) => theme.ink}; text-decoration: none; padding-bottom: 2px; }
  a:hover { text-decoration: underline; }
  a[aria-current="page"] { border-bottom: 2px solid ${({ theme }) => theme.verdigris}; }
`;

/** The places about the change log. */
export function ChangePlaces() {
  return (
    <Nav aria-label="Change log">
      <NavLink to="/changes" end>
        Search
      </NavLink>
      <NavLink to="/changes/verification">Verification</NavLink>
    </Nav>
  );
}
