import { Button, Menu, MenuItem, MenuTrigger, Popover } from "react-aria-components";
import { styled } from "styled-components";
import { underlined } from "./inputs.js";

const Opener = styled(Button)`
  ${underlined}
`;

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
  &[data-focused] { background: ${({ theme }) => theme.wash}; }
`;

interface AddMenuProps {
  readonly label: string;
  readonly options: readonly { readonly id: string; readonly text: string }[];
  readonly onAdd: (id: string) => void;
}

/** Adds one of several: nothing happens before one is chosen, so it can be looked through by keyboard. */
export function AddMenu({ label, options, onAdd }: AddMenuProps) {
  return (
    <MenuTrigger>
      <Opener>{label} ▾</Opener>
      <Leaf>
        <Items aria-label={label} items={options} onAction={(id) => onAdd(String(id))}>
          {(option) => <Item id={option.id}>{option.text}</Item>}
        </Items>
      </Leaf>
    </MenuTrigger>
  );
}
