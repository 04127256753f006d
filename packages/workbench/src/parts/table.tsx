import { styled } from "styled-components";

/** A ruled table: thin lines, white space, figures in columns. */
export const Table = styled.table`
  width: 100%;
  border-collapse: collapse;
  th, td { text-align: start; vertical-align: baseline; padding: ${({ theme }) => `${theme.space(1.5)} ${theme.space(4)} ${theme.space(1.5)} 0`}; border-bottom: 1px solid ${({ theme }) => theme.rule}; }
  thead th { font-weight: 400; color: ${({ theme }) => theme.soft}; border-bottom-color: ${({ theme }) => theme.edge}; white-space: nowrap; }
  tbody th { font-weight: 700; }
  td:last-child, th:last-child { padding-right: 0; }
  time, .figure code { white-space: nowrap; }
  td > code, td > a > code { white-space: nowrap; }
  td > code, td > a, tbody th code { overflow-wrap: break-word; }
  .figure { text-align: end; white-space: nowrap; }
  svg { vertical-align: -0.35em; display: inline-block; }
`;

/** A table that may be wider than the page: it scrolls by itself, by keyboard too. */
export const Scroll = styled.div.attrs({ tabIndex: 0, role: "region" })`
  overflow-x: auto;
  /* What is unseen in it scrolls with it, and makes no page wider. */
  position: relative;
`;

/** The head of a table: its columns by name; those in `figures` are numbers, and stand at the end of their cells. */
export function Head({ columns, figures = [] }: { columns: readonly string[]; figures?: readonly string[] }) {
  return (
    <thead>
      <tr>
        {columns.map((name) => (
          <th key={name} scope="col" className={figures.includes(name) ? "figure" : undefined}>
            {name}
          </th>
        ))}
      </tr>
    </thead>
  );
}
