import { createGlobalStyle } from "styled-components";

/** For all elements, and the colours of both schemes. `geometricPrecision`: without it Linux sets each letter at a whole pixel, and bold words run together. */
export const GlobalStyle = createGlobalStyle`
  :root {
    color-scheme: light dark;
    --paper: #f3f6f7; --leaf: #fcfdfd; --ink: #14243a; --soft: #4b5c6f; --rule: #cad3da; --edge: #8a97a4;
    --verdigris: #12645a; --wash: #dfedea; --ochre: #7d5200; --minium: #b32d17;
  }
  @media (prefers-color-scheme: dark) {
    :root {
      --paper: #171d24; --leaf: #1e262f; --ink: #e2e8ee; --soft: #a5b3c0; --rule: #36424e; --edge: #6f7f8e;
      --verdigris: #74c7b8; --wash: #1c3a37; --ochre: #deb266; --minium: #ff9780;
    }
  }
  *, *::before, *::after { box-sizing: border-box; }
  html { scroll-padding-block-end: 4rem; text-rendering: geometricPrecision; font: 100%/1.4 ${({ theme }) => theme.speech}; color: ${({ theme }) => theme.ink}; background: ${({ theme }) => theme.paper}; font-variant-numeric: lining-nums; }
  body, h1, h2, h3, p, ul, ol, dl, dd, pre { margin: 0; padding: 0; }
  body { overflow-wrap: break-word; }
  ul, ol { list-style: none; }
  a { color: ${({ theme }) => theme.verdigris}; text-underline-offset: 0.15em; }
  button, input, select { font: inherit; font-variant-numeric: inherit; color: inherit; }
  :focus-visible, [data-focus-visible] { outline: 2px solid ${({ theme }) => theme.verdigris}; outline-offset: 2px; }
  code, pre, time { font-family: ${({ theme }) => theme.wire}; font-size: 0.8125rem; font-variant-numeric: tabular-nums; }
  ::selection { background: ${({ theme }) => theme.wash}; }
`;
