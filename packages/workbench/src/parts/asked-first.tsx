import { type ReactNode, Suspense, useState } from "react";
import { Small } from "./inputs.js";
import { part } from "./part.js";

const Confirm = part(() => import("./confirm.js"), { close: ({ onClose }) => onClose() });

interface AskedFirstProps {
  /** What is done, as its buttons say. */
  readonly does: string;
  /** The same with what it is done to. */
  readonly title: string;
  /** What comes of it. */
  readonly children: ReactNode;
  readonly isBusy: boolean;
  readonly onDo: () => void;
}

/** A button for what can't be undone: it is asked about first. */
export function AskedFirst({ does, title, children, isBusy, onDo }: AskedFirstProps) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Small
        type="button"
        aria-label={`${title}…`}
        $busy={isBusy}
        onPointerEnter={Confirm.preload}
        onClick={() => setOpen(true)}
      >
        {does}…
      </Small>
      {isOpen && (
        <Suspense>
          <Confirm does={does} title={title} onDo={onDo} onClose={() => setOpen(false)}>
            {children}
          </Confirm>
        </Suspense>
      )}
    </>
  );
}
