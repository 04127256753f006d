import { useSearchParams } from "react-router";

/**
 * Filters that stand in the address, so that each view has one.
 *
 * @returns what the address has, and what sets one of it; an empty value takes it off
 */
export function useFilters(): readonly [URLSearchParams, (name: string, value: string) => void] {
  const [search, setSearch] = useSearchParams();
  const set = (name: string, value: string): void =>
    setSearch(
      (before) => {
        const after = new URLSearchParams(before);
        // A NUL comes by pasting, and no address with one is answered (nor has PostgreSQL a text with one).
        const text = value.replaceAll("\0", "");
        if (text) after.set(name, text);
        else after.delete(name);
        return after;
      },
      { replace: true },
    );
  return [search, set];
}
