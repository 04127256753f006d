import { useEffect, useRef, useState } from "react";
import { styled } from "styled-components";
import { ask } from "../../api/client.js";

const Arrows = styled.span`
  white-space: nowrap;
  button { border: 1px solid ${({ theme }) => theme.edge}; background: ${({ theme }) => theme.leaf}; padding: ${({ theme }) => `${theme.space(1)} ${theme.space(2)}`}; cursor: pointer; }
  button + button { border-left: 0; }
  > span { white-space: normal; }
`;

interface NeighboursProps {
  readonly page: string;
  readonly from: readonly string[];
  readonly onChoose: (key: readonly string[]) => void;
}

/** The record before and the one after, in the order of their keys; by Alt and the page keys, too. */
export function Neighbours({ page, from, onChoose }: NeighboursProps) {
  const [end, setEnd] = useState<string>();
  const go = async (by: 1 | -1): Promise<void> => {
    const query = new URLSearchParams([...from.map((part) => ["key", part]), ["by", String(by)]]);
    try {
      const next = await ask<readonly string[] | null>(`/pages/${encodeURIComponent(page)}/neighbour?${query}`);
      setEnd(next ? undefined : by > 0 ? "This is the last record." : "This is the first record.");
      if (next) onChoose(next);
    } catch (error) {
      setEnd((error as Error).message);
    }
  };
  const latest = useRef(go);
  latest.current = go;
  useEffect(() => {
    const onKeyDown = (event: KeyboardEvent): void => {
      if (!event.altKey || (event.key !== "PageDown" && event.key !== "PageUp")) return;
      event.preventDefault();
      void latest.current(event.key === "PageDown" ? 1 : -1);
    };
    window.addEventListener("keydown", onKeyDown);
    return () => window.removeEventListener("keydown", onKeyDown);
  }, []);
  return (
    <Arrows>
      <button type="button" onClick={() => void go(-1)} aria-label="Previous record" title="Alt+Page Up">
        ↑
      </button>
      <button type="button" onClick={() => void go(1)} aria-label="Next record" title="Alt+Page Down">
        ↓
      </button>
      <span role="status">{end && ` ${end}`}</span>
    </Arrows>
  );
}
