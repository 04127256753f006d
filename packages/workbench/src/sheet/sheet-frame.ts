import { styled } from "styled-components";

/** As high as the window: what is above the columns never grows, and the columns scroll, not the window. */
export const Leaf = styled.div`
  display: flex;
  flex-direction: column;
  height: calc(100dvh - 3.125rem);
  margin-top: ${({ theme }) => `calc(-1 * ${theme.space(2)})`};
  margin-bottom: ${({ theme }) => `calc(-1 * ${theme.space(8)})`};
  > * { flex-shrink: 0; }
  @media (max-width: 999px) { height: auto; min-height: calc(100dvh - 3.125rem); }
`;

export const Top = styled.div`
  display: flex;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(4)}`};
  padding-bottom: ${({ theme }) => theme.space(1)};
  > h1 { flex: 0 99 auto; min-width: 8rem; max-width: 12rem; font-size: 1.25rem; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
  select { max-width: 11rem; }
  @media (min-width: 1280px) { select { max-width: 15rem; } }
  @media (min-width: 1000px) and (max-width: 1099px) { select { max-width: 7rem; } }
  @media (max-width: 999px) { flex-wrap: wrap; }
`;

/** Its field takes what is left of the line, whatever stands in it: nothing beside it moves when another record is chosen. */
export const Record = styled.span`
  display: inline-flex;
  align-items: baseline;
  flex: 1 1 auto;
  max-width: 30rem;
  input { flex: 1 1 auto; width: 11rem; }
`;

export const Bar = styled.div`
  display: flex;
  align-items: baseline;
  gap: ${({ theme }) => `0 ${theme.space(6)}`};
  min-height: 1.875rem;
  > div:last-child { margin-left: auto; }
  @media (min-width: 1000px) { > [role="tablist"], > div:last-child { flex-shrink: 0; } }
  a { display: inline-block; line-height: 1.5rem; white-space: nowrap; }
  @media (max-width: 999px) { flex-wrap: wrap; }
`;

export const Ways = styled.div`
  display: flex;
  gap: ${({ theme }) => theme.space(4)};
  @media (max-width: 999px) { flex-wrap: wrap; }
`;

/** The columns, and at their right the place where what is selected is edited. */
export const Body = styled.div<{ $covers: "left" | "right" | undefined }>`
  display: flex;
  position: relative;
  flex: 1 1 0 !important;
  min-height: 24rem;
  > aside { flex: 0 0 24rem; ${({ theme, $covers }) => $covers && `position: absolute; z-index: 3; inset-block: 0; ${$covers}: 0; width: ${$covers === "left" ? 28 : 24}rem; background: ${theme.paper}; border-right: 1px solid ${theme.edge};`} }
  @media (max-width: 1199px) { > aside { flex-basis: 19rem; } }
  @media (max-width: 999px) { > aside { flex: 1 1 0; border: 0; padding-left: 0; } }
`;
