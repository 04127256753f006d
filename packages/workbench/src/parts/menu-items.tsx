import type { RefObject } from "react";
import { Menu, MenuItem, Popover } from "react-aria-components";
import { styled } from "styled-components";
import { English } from "./english.js";

const Leaf = styled(Popover)`
  background: ${({ theme }) => theme.leaf};
  border: 1px solid ${({ theme }) => theme.edge};
  overflow: auto;
`;

const Items = styled(Menu)`
  outline: none;
  max-height: 24rem;
` as typeof Menu;

const Item = styled(MenuItem)`
  padding: ${({ theme }) => `${theme.space(1)} ${theme.space(3)}`};
  cursor: default;
  outline: none;
  &[data-focused] { background: ${({ theme }) => theme.wash}; outline: 2px solid ${({ theme }) => theme.verdigris}; outline-offset: -2px; }
`;

interface MenuItemsProps {
  /** The button that opened it: it stands below, and gets the focus back. */
  readonly opener: RefObject<HTMLButtonElement | null>;
  readonly label: string;
  readonly options: readonly { readonly id: string; readonly text: string }[];
  readonly onAdd: (id: string) => void;
  readonly onClose: () => void;
}

/** The items of a menu that is open. */
export default function MenuItems({ opener, label, options, onAdd, onClose }: MenuItemsProps) {
  return (
    <English>
      <Leaf
        aria-label={label}
        triggerRef={opener}
        isOpen
        onOpenChange={(open) => !open && onClose()}
        placement="bottom start"
      >
        <Items
          aria-label={label}
          items={options}
          autoFocus="first"
          onAction={(id) => onAdd(String(id))}
          onClose={onClose}
        >
          {(option) => <Item id={option.id}>{option.text}</Item>}
        </Items>
      </Leaf>
    </English>
  );
}
