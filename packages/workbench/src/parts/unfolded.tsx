import { type ReactNode, useEffect, useId, useRef, useState } from "react";
import { styled } from "styled-components";
import { Small } from "./inputs.js";
import { Mark, type MarkKind } from "./mark.js";

const Around = styled.span`
  position: relative;
`;

const Over = styled.div`
  position: absolute;
  z-index: 5;
  top: calc(100% + 2px);
  left: 0;
  width: max-content;
  max-width: min(46rem, calc(100vw - 3rem));
  max-height: 60vh;
  overflow: auto;
  padding: ${({ theme }) => `${theme.space(2)} ${theme.space(4)}`};
  border: 1px solid ${({ theme }) => theme.edge};
  background: ${({ theme }) => theme.leaf};
`;

/** Moves it to the left by what would stand beyond the window's right edge. */
function within(over: HTMLElement | null): void {
  if (!over) return;
  over.style.left = "0";
  const beyond = over.getBoundingClientRect().right - (document.documentElement.clientWidth - 8);
  if (beyond > 0) over.style.left = `${-beyond}px`;
}

interface UnfoldedProps {
  /** What there is, in a few words, with its number. */
  readonly what: string;
  readonly kind: MarkKind;
  /** What is said of it to who can't see it, at once. */
  readonly role?: "status" | "alert";
  readonly children: ReactNode | ((close: () => void) => ReactNode);
}

/** A line that opens what it is about over the page, so that nothing moves. Escape and a click elsewhere close it. */
export function Unfolded({ what, kind, role = "status", children }: UnfoldedProps) {
  const [isOpen, setOpen] = useState(false);
  const around = useRef<HTMLElement>(null);
  const id = useId();
  useEffect(() => {
    if (!isOpen) return;
    const onPointerDown = (event: PointerEvent): void => {
      if (!around.current?.contains(event.target as Node)) setOpen(false);
    };
    window.addEventListener("pointerdown", onPointerDown);
    return () => window.removeEventListener("pointerdown", onPointerDown);
  }, [isOpen]);
  return (
    <Around
      ref={around}
      onKeyDown={(event) => {
        if (event.key !== "Escape" || !isOpen) return;
        event.stopPropagation();
        setOpen(false);
        around.current?.querySelector("button")?.focus();
      }}
    >
      <span role={role}>
        <Small
          type="button"
          aria-expanded={isOpen}
          aria-controls={isOpen ? id : undefined}
          onClick={() => setOpen(!isOpen)}
        >
          <Mark kind={kind}>{what}</Mark>
        </Small>
      </span>
      {isOpen && (
        <Over ref={within} id={id} role="group" aria-label={what}>
          {typeof children === "function" ? children(() => setOpen(false)) : children}
        </Over>
      )}
    </Around>
  );
}
