import type { ReactNode } from "react";
import { Dialog, Heading, Modal, ModalOverlay } from "react-aria-components";
import { styled } from "styled-components";
import { English } from "./english.js";

const Over = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  background: rgb(0 0 0 / 35%);
  display: grid;
  place-items: center;
  z-index: 10;
`;

const Leaf = styled(Modal)<{ $wide: boolean }>`
  background: ${({ theme }) => theme.paper};
  color: ${({ theme }) => theme.ink};
  border: 1px solid ${({ theme }) => theme.edge};
  padding: ${({ theme }) => theme.space(6)};
  width: ${({ $wide }) => ($wide ? "min(78rem, 96vw)" : "min(46rem, 92vw)")};
  max-height: 86vh;
  overflow: auto;
  > section { outline: none; }
  h2 { font-size: 1.25rem; margin-bottom: ${({ theme }) => theme.space(2)}; }
  h3 { font-size: 1rem; margin-top: ${({ theme }) => theme.space(4)}; }
  ul { margin-left: ${({ theme }) => theme.space(4)}; list-style: disc; }
  footer { display: flex; gap: ${({ theme }) => theme.space(4)}; margin-top: ${({ theme }) => theme.space(5)}; align-items: baseline; }
  footer > button { flex-shrink: 0; }
`;

interface QuestionProps {
  readonly title: string;
  readonly onClose: () => void;
  readonly role?: "dialog" | "alertdialog";
  /** Whether something is read in it that takes the window's width. */
  readonly isWide?: boolean;
  readonly children: ReactNode;
}

/** What is asked before something is done, on a leaf of its own; the focus goes back to what had it before. */
export function Question({ title, role = "dialog", isWide = false, onClose, children }: QuestionProps) {
  return (
    <English>
      <Over isOpen isDismissable onOpenChange={(open) => !open && onClose()}>
        <Leaf $wide={isWide}>
          <Dialog role={role}>
            <Heading slot="title">{title}</Heading>
            {children}
          </Dialog>
        </Leaf>
      </Over>
    </English>
  );
}
