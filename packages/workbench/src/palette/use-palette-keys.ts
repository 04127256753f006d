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
