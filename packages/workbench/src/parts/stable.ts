import { useRef } from "react";

type Actions = Readonly<Record<string, (...given: never[]) => unknown>>;

/**
 * The same functions for as long as a component lives, each of which does what the newest rendering says: for rows that are
 * rendered again only where something of their own differs.
 */
export function useStable<Given extends Actions>(given: Given): Given {
  const latest = useRef(given);
  latest.current = given;
  const stable = useRef<Given>(undefined);
  stable.current ??= Object.fromEntries(
    Object.keys(given).map((name) => [name, (...values: never[]) => latest.current[name]?.(...values)]),
  ) as unknown as Given;
  return stable.current;
}
