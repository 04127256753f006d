import { type Drift, editPageFile, placeInWords, renamedColumn, valueText } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import { type ReactNode, useState } from "react";
import { Dialog, DialogTrigger, Heading, Modal, ModalOverlay } from "react-aria-components";
import { useNavigate } from "react-router";
import { styled } from "styled-components";
import { useEffects } from "../api/queries.js";
import { focusAfter } from "../parts/focus.js";
import { Slight, Small } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { QuietButton } from "../parts/states.js";
import type { DraftDesk } from "./use-draft.js";

const Bar = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(4)}`};
  padding: ${({ theme }) => `${theme.space(1.5)} 0`};
  border-bottom: 1px solid ${({ theme }) => theme.rule};
  > span:first-child { min-width: 15rem; }
  > span[data-wide] { flex: 1; }
`;

const Notice = styled.div`
  padding: ${({ theme }) => `${theme.space(1.5)} 0`};
  border-bottom: 1px solid ${({ theme }) => theme.rule};
  ul { margin: ${({ theme }) => `${theme.space(1)} 0 ${theme.space(1)} ${theme.space(4)}`}; }
  li { display: flex; gap: ${({ theme }) => theme.space(3)}; flex-wrap: wrap; }
`;

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

const Strong = styled(QuietButton)`
  border-color: ${({ theme }) => theme.verdigris};
  color: ${({ theme }) => theme.verdigris};
  font-weight: 700;
`;

interface DraftBarProps {
  readonly desk: DraftDesk;
  readonly sheet: SheetAnswer;
  /** Whether publishing is asked about. */
  readonly isOpen: boolean;
  readonly setOpen: (open: boolean) => void;
}

/** For whom it changes what they may do. */
function Effects({ page, revision }: { page: string; revision: number }) {
  const effects = useEffects(page, revision);
  if (effects.isPending) return <p>Looking for whom that changes something …</p>;
  if (effects.error) return <p>It could not be found out for whom that changes something: {effects.error.message}</p>;
  if (effects.data.length === 0) return <p>Nobody sees or may edit other records than before.</p>;
  return (
    <>
      <p>And for these people:</p>
      <ul>
        {effects.data.map(({ name, lines }) => (
          <li key={name}>
            {name}: {lines.join(", ")}
          </li>
        ))}
      </ul>
    </>
  );
}

interface QuestionProps {
  readonly title: string;
  readonly role?: "dialog" | "alertdialog";
  readonly children: (close: () => void) => ReactNode;
}

/** What is asked before something is done, on a leaf of its own. */
function Question({ title, role = "dialog", children }: QuestionProps) {
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

/** What publishing would change, and the button that does it. */
function Publish({ desk, sheet, isOpen, setOpen }: DraftBarProps) {
  const { answer } = desk;
  const [isBusy, setBusy] = useState(false);
  const errors = sheet.findings.filter((finding) => finding.severity === "error").length;
  const warnings = sheet.findings.length - errors;
  return (
    <DialogTrigger isOpen={isOpen} onOpenChange={setOpen}>
      <Strong isDisabled={errors > 0}>Publish …</Strong>
      <Question title={`Publish ${sheet.plural} at ${sheet.path}`}>
        {(close) => (
          <>
            {answer?.published === null ? (
              <p>
                The page is served for the first time, to{" "}
                {sheet.access.some(({ name }) => name === "open") ? (
                  <code>{sheet.access.find(({ name }) => name === "open")?.source}</code>
                ) : (
                  "everybody who is signed in"
                )}
                .
              </p>
            ) : (
              <>
                <p>What changes for everybody who opens the page from now on:</p>
                <ul>
                  {answer?.differs.map((line) => (
                    <li key={line}>{line}</li>
                  ))}
                </ul>
                <p>Forms that are open now are asked to look again before they are saved.</p>
              </>
            )}
            <Effects page={sheet.name} revision={answer?.revision ?? 0} />
            {warnings > 0 && (
              <p>
                <Mark kind="wait">{warnings === 1 ? "one warning" : `${warnings} warnings`}</Mark> in the review; it can
                be published all the same.
              </p>
            )}
            <footer>
              <Strong
                autoFocus
                isDisabled={isBusy}
                onPress={async () => {
                  setBusy(true);
                  if (await desk.publish()) {
                    close();
                    focusAfter();
                  }
                  setBusy(false);
                }}
              >
                {isBusy ? "Publishing …" : "Publish now"}
              </Strong>
              <QuietButton onPress={close}>Not yet</QuietButton>
              {desk.complaint && <Mark kind="stop">{desk.complaint}</Mark>}
            </footer>
          </>
        )}
      </Question>
    </DialogTrigger>
  );
}

/** Asks before a draft goes of which nothing else is left. */
function Abandon({ desk, sheet }: { desk: DraftDesk; sheet: SheetAnswer }) {
  const navigate = useNavigate();
  return (
    <DialogTrigger>
      <Slight>Discard the draft …</Slight>
      <Question role="alertdialog" title={`Discard the draft of ${sheet.plural}`}>
        {(close) => (
          <>
            <p>
              The page is not served, so nothing of it is left afterwards. Take its file out first if you may want it
              again.
            </p>
            <footer>
              <Strong
                onPress={async () => {
                  if (await desk.abandon()) void navigate("/");
                }}
              >
                Discard it
              </Strong>
              <QuietButton autoFocus onPress={close}>
                Keep it
              </QuietButton>
              {desk.complaint && <Mark kind="stop">{desk.complaint}</Mark>}
            </footer>
          </>
        )}
      </Question>
    </DialogTrigger>
  );
}

function State({ desk }: { desk: DraftDesk }) {
  const { answer } = desk;
  if (desk.isSaving) return <Mark kind="wait">keeping the draft …</Mark>;
  if (!answer || answer.revision === 0) return <Mark kind="good">published, no draft</Mark>;
  return (
    <Mark kind="wait">
      draft{answer.published === null ? ", not published yet" : ""}, {answer.by},{" "}
      {answer.at && <Moment at={answer.at} />}
    </Mark>
  );
}

/** A proposal for the page, where there is one and it was not taken yet. */
function DriftRepair({ drift, desk }: { drift: Drift; desk: DraftDesk }) {
  const { repair } = drift;
  const text = desk.text ?? "";
  if (!repair) return null;
  const next = (): string => {
    try {
      return "rename" in repair
        ? renamedColumn(text, repair.rename.from, repair.rename.to)
        : editPageFile(text, repair.edits);
    } catch {
      return text;
    }
  };
  return next() === text ? null : (
    <Small type="button" onClick={() => desk.write(next(), repair.what)}>
      {repair.what}
    </Small>
  );
}

/** Draft or published, a step back or forth, publishing; and what others did to the same page. */
export function DraftBar({ desk, sheet, isOpen, setOpen }: DraftBarProps) {
  const { answer, conflicts, complaint } = desk;
  const isDraft = (answer?.revision ?? 0) > 0;
  const errors = sheet.findings.filter((finding) => finding.severity === "error").length;
  return (
    <>
      <Bar role="toolbar" aria-label="Draft">
        <span role="status">
          <State desk={desk} />
        </span>
        <Small type="button" disabled={desk.undoes === null} onClick={desk.undo} title="Ctrl+Z">
          Undo{desk.undoes ? `: ${desk.undoes}` : ""}
        </Small>
        <Small type="button" disabled={desk.redoes === null} onClick={desk.redo} title="Ctrl+Shift+Z">
          Redo{desk.redoes ? `: ${desk.redoes}` : ""}
        </Small>
        <span data-wide="">
          {errors > 0 && (
            <Mark kind="stop">{errors === 1 ? "one error" : `${errors} errors`}: not to be published like this</Mark>
          )}
        </span>
        {isDraft && answer?.published !== null && (
          <Small
            type="button"
            onClick={() => {
              desk.discard();
              setTimeout(focusAfter, 500);
            }}
          >
            Discard the draft
          </Small>
        )}
        {isDraft && answer?.published === null && <Abandon desk={desk} sheet={sheet} />}
        {isDraft && <Publish desk={desk} sheet={sheet} isOpen={isOpen} setOpen={setOpen} />}
      </Bar>
      {complaint && (
        <Notice role="alert">
          <Mark kind="stop">{complaint}</Mark>
        </Notice>
      )}
      {answer && answer.drift.length > 0 && (
        <Notice role="status">
          <Mark kind="wait">The table has changed since this page was published:</Mark>
          <ul>
            {answer.drift.map((drift) => (
              <li key={drift.what}>
                <span>{drift.what}</span>
                <DriftRepair drift={drift} desk={desk} />
              </li>
            ))}
          </ul>
          <Small type="button" onClick={desk.note}>
            Noted: leave the page as it is
          </Small>
        </Notice>
      )}
      {answer?.fileChanged && (
        <Notice role="status">
          <Mark kind="wait">The file has changed on disk since this draft was begun:</Mark>
          <ul>
            {answer.fileChanged.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
          <Small type="button" onClick={desk.bringIn}>
            {answer.published === null ? "Keep the draft, as a new page" : "Bring these changes into the draft"}
          </Small>
        </Notice>
      )}
      {conflicts.length > 0 && (
        <Notice role="alert">
          <Mark kind="wait">Somebody else changed the same:</Mark>
          <ul>
            {conflicts.map((conflict, index) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: two conflicts may be of one place
              <li key={index}>
                <span>
                  {conflict.path.length === 0
                    ? "the text, which can't be read"
                    : `${placeInWords(conflict.path)}: theirs ${valueText(conflict.theirs)}, yours ${valueText(conflict.mine)}`}
                </span>
                <Small type="button" onClick={() => desk.settle(conflict, true)}>
                  take yours
                </Small>
                <Small type="button" onClick={() => desk.settle(conflict, false)}>
                  leave theirs
                </Small>
              </li>
            ))}
          </ul>
        </Notice>
      )}
    </>
  );
}
