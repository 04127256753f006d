import type { KeyboardEvent } from "react";
import { styled } from "styled-components";

const List = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => `0 ${theme.space(3)}`};
  button { border: 0; background: none; padding: 0 0 2px; min-width: 24px; min-height: 24px; cursor: pointer; white-space: nowrap; }
  button[aria-selected="true"] { border-bottom: 2px solid ${({ theme }) => theme.verdigris}; padding: 0; font-weight: 700; }
  button[aria-selected="false"] { color: ${({ theme }) => theme.soft}; }
`;

interface TabsProps<Id extends string> {
  readonly label: string;
  readonly tabs: Readonly<Record<Id, string>>;
  readonly chosen: Id;
  readonly onChoose: (id: Id) => void;
}

/** Tabs, of which one is shown (WAI-ARIA Authoring Practices, Tabs): one stop for the Tab key, the arrow keys lead from one to the next. */
export function Tabs<Id extends string>({ label, tabs, chosen, onChoose }: TabsProps<Id>) {
  const ids = Object.keys(tabs) as Id[];
  const onKeyDown = (event: KeyboardEvent<HTMLDivElement>): void => {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    const at = event.key === "Home" ? 0 : event.key === "End" ? ids.length - 1 : ids.indexOf(chosen) + (by ?? 0);
    const next = ids[(at + ids.length) % ids.length];
    if (next === undefined || (by === undefined && event.key !== "Home" && event.key !== "End")) return;
    event.preventDefault();
    onChoose(next);
    event.currentTarget.querySelectorAll("button")[ids.indexOf(next)]?.focus();
  };
  return (
    <List role="tablist" aria-label={label} onKeyDown={onKeyDown}>
      {ids.map((id) => (
        <button
          key={id}
          type="button"
          role="tab"
          aria-selected={chosen === id}
          tabIndex={chosen === id ? 0 : -1}
          onClick={() => onChoose(id)}
        >
          {tabs[id]}
        </button>
      ))}
    </List>
  );
}
