import { type ComponentType, lazy, type ReactNode, useEffect } from "react";
import { ErrorBoundary, type FallbackProps } from "react-error-boundary";
import { useLocation } from "react-router";
import { styled } from "styled-components";
import { lookWhetherOutdated } from "../api/outdated.js";
import { useOutdated } from "../api/queries.js";
import { Block, QuietButton } from "./states.js";

/** A module of the workbench that did not arrive. */
class NotLoaded extends Error {}

const reload = (): void => location.reload();

const Over = styled(Block)`
  position: fixed;
  top: 20vh;
  left: 50%;
  transform: translateX(-50%);
  width: min(36rem, 92vw);
  padding: ${({ theme }) => theme.space(6)};
  background: ${({ theme }) => theme.paper};
  border: 1px solid ${({ theme }) => theme.edge};
  z-index: 10;
`;

interface BrokenProps extends FallbackProps {
  /** What takes it away again, where it stands over the others as what broke would have. */
  readonly close?: () => void;
}

/** What is said in the place of what broke: why, as far as it is known, and what can be done. */
export function Broken({ error, resetErrorBoundary, close }: BrokenProps) {
  const isMissing = error instanceof NotLoaded;
  const isOutdated = useOutdated();
  useEffect(() => {
    if (isMissing) void lookWhetherOutdated();
  }, [isMissing]);
  const Place = close ? Over : Block;
  return (
    <Place role="alert">
      <h2>{isMissing ? "This part of the workbench could not be loaded" : "Something went wrong here"}</h2>
      {!isMissing && <p>{error instanceof Error ? error.message : String(error)}</p>}
      <p>
        {isMissing && isOutdated
          ? "Reload the workbench to go on."
          : isMissing
            ? "Check that the server is running, then try again."
            : "Try again. If the same happens, reload the workbench."}
      </p>
      <QuietButton onClick={resetErrorBoundary}>Try again</QuietButton>{" "}
      <QuietButton onClick={reload}>Reload the workbench</QuietButton>{" "}
      {close && <QuietButton onClick={close}>Close</QuietButton>}
    </Place>
  );
}

interface PartOptions<Props> {
  /** What is shown where it can't be had; if nothing is given, that it can't. */
  readonly instead?: (props: Props) => ReactNode;
  /** Closes it, of what opens over everything else. */
  readonly close?: (props: Props) => void;
}

/**
 * A part of the workbench that is loaded when it is needed. Where it can't be had, or throws, that is said in its place, and the rest of
 * the window stays as it is.
 *
 * @returns the part, which suspends until it is there; `preload` loads it before that
 */
export function part<Props extends object>(
  load: () => Promise<{ readonly default: ComponentType<Props> }>,
  { instead, close }: PartOptions<Props> = {},
): ComponentType<Props> & { readonly preload: () => void } {
  const begin = () =>
    lazy(() =>
      load().catch((cause: unknown) => {
        throw new NotLoaded("The module did not arrive.", { cause });
      }),
    );
  // React keeps what has failed: the next try is another one.
  let Loaded = begin();
  const Latest = (props: Props) => <Loaded {...props} />;
  const again = (): void => {
    Loaded = begin();
  };
  function Part(props: Props) {
    const { pathname } = useLocation();
    return (
      <ErrorBoundary
        resetKeys={[pathname]}
        onReset={again}
        fallbackRender={(broken) =>
          instead ? instead(props) : <Broken {...broken} {...(close ? { close: () => close(props) } : {})} />
        }
      >
        <Latest {...props} />
      </ErrorBoundary>
    );
  }
  return Object.assign(Part, { preload: () => void load().catch(() => {}) });
}
