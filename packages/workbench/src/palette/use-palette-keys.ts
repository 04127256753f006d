import { useEffect, useState } from "react";

/** Whether the palette is asked for, and its keys. */
export function usePaletteKeys(): [boolean, (open: boolean) => void] {
  const [isOpen, setOpen] = useState(false);
  useEffect(() => {
    const onKeyDown = (event: KeyboardEvent): void => {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "k") return;
      event.preventDefault();
      setOpen((before) => !before);
    };
    window.addEventListener("keydown", onKeyDown);
    return () => window.removeEventListener("keydown", onKeyDown);
  }, []);
  return [isOpen, setOpen];
}

/** Whether the keyboard shortcuts are asked for, by a question mark that is typed into nothing. */
export function useShortcutsKey(): [boolean, (open: boolean) => void] {
  const [isOpen, setOpen] = useState(false);
  useEffect(() => {
    const onKeyDown = (event: KeyboardEvent): void => {
      const target = event.target as HTMLElement;
      if (event.key !== "?" || target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) return;
      event.preventDefault();
      setOpen(true);
    };
    window.addEventListener("keydown", onKeyDown);
    return () => window.removeEventListener("keydown", onKeyDown);
  }, []);
  return [isOpen, setOpen];
}
