import type { ReactNode } from "react";
import { Button, Dialog, Heading, Modal, ModalOverlay } from "react-aria-components";
import { styled } from "styled-components";
import { quiet } from "./states.js";

const Over = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  background: color-mix(in srgb, ${({ theme }) => theme.ink} 35%, transparent);
  display: grid;
  place-items: center;
  z-index: 10;
`;

const Leaf = styled(Modal)`
  background: ${({ theme }) => theme.paper};
  color: ${({ theme }) => theme.ink};
  border: 1px solid ${({ theme }) => theme.edge};
  padding: ${({ theme }) => theme.space(6)};
  width: min(46rem, 92vw);
  max-height: 86vh;
  overflow: auto;
  > section { outline: none; }
  h2 { font-size: 1.25rem; margin-bottom: ${({ theme }) => theme.space(2)}; }
  h3 { font-size: 1rem; margin-top: ${({ theme }) => theme.space(4)}; }
  ul { margin-left: ${({ theme }) => theme.space(4)}; list-style: disc; }
  footer { display: flex; gap: ${({ theme }) => theme.space(4)}; margin-top: ${({ theme }) => theme.space(5)}; align-items: baseline; }
`;

/** The button that does what is asked about. */
export const Strong = styled(Button)`
  ${quiet}
  border-color: ${({ theme }) => theme.verdigris};
  color: ${({ theme }) => theme.verdigris};
  font-weight: 700;
`;

interface QuestionProps {
  readonly title: string;
  readonly role?: "dialog" | "alertdialog";
  readonly children: (close: () => void) => ReactNode;
}

/** What is asked before something is done, on a leaf of its own. */
export function Question({ title, role = "dialog", children }: QuestionProps) {
  return (
    <Over isDismissable>
      <Leaf>
        <Dialog role={role}>
          {({ close }) => (
            <>
              <Heading slot="title">{title}</Heading>
              {children(close)}
            </>
          )}
        </Dialog>
      </Leaf>
    </Over>
  );
}
