import { Suspense, useRef, useState } from "react";
import { Small } from "./inputs.js";
import { part } from "./part.js";

const MenuItems = part(() => import("./menu-items.js"), { close: ({ onClose }) => onClose() });

interface AddMenuProps {
  readonly label: string;
  readonly options: readonly { readonly id: string; readonly text: string }[];
  readonly onAdd: (id: string) => void;
}

/** Adds one of several: nothing happens before one is chosen, so it can be looked through by keyboard. */
export function AddMenu({ label, options, onAdd }: AddMenuProps) {
  const [isOpen, setOpen] = useState(false);
  const opener = useRef<HTMLButtonElement>(null);
  return (
    <>
      <Small
        ref={opener}
        type="button"
        aria-haspopup="menu"
        aria-expanded={isOpen}
        onPointerEnter={MenuItems.preload}
        onClick={() => setOpen(true)}
        onKeyDown={(event) => {
          if (event.key !== "ArrowDown") return;
          event.preventDefault();
          setOpen(true);
        }}
      >
        {label} ▾
      </Small>
      {isOpen && (
        <Suspense>
          <MenuItems opener={opener} label={label} options={options} onAdd={onAdd} onClose={() => setOpen(false)} />
        </Suspense>
      )}
    </>
  );
}
