import type { ReactNode } from "react";
import { Question } from "./question.js";
import { QuietButton, Strong } from "./states.js";

interface ConfirmProps {
  readonly does: string;
  readonly title: string;
  readonly children: ReactNode;
  readonly onDo: () => void;
  readonly onClose: () => void;
}

/** What is asked before something is done that can't be undone. */
export default function Confirm({ does, title, children, onDo, onClose }: ConfirmProps) {
  return (
    <Question role="alertdialog" title={title} onClose={onClose}>
      <p>{children}</p>
      <footer>
        <Strong
          onClick={() => {
            onDo();
            onClose();
          }}
        >
          {does}
        </Strong>
        <QuietButton autoFocus onClick={onClose}>
          Cancel
        </QuietButton>
      </footer>
    </Question>
  );
}
