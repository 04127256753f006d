/** A page run against many prepared requests, each rolled back. */
export type { Case, Evidence, LoggedEntry, Played, Touched, Verdict } from "./case.js";
export {
  type CasesFile,
  type CasesProblem,
  casesFormat,
  type OwnCase,
  ownCases,
  readCases,
  readPeople,
} from "./own-cases.js";
export type { Prepared, RehearsedRecord } from "./prepare.js";
export { casesFor, type Rehearsal, type RehearsalOptions, rehearse, rehearsedSteps } from "./rehearse.js";
export { type Ending, endingThen, type Replayed, type ReplayOptions, replay, replayAll } from "./replay.js";
export { leavingNothing, type World } from "./staging.js";
