import { word } from "../../messages/messages.js";
import {
  answerName,
  carriedName,
  chosenName,
  fileName,
  leftName,
  newName,
  reasonName,
  sessionName,
} from "../../page/names.js";
import { fileFormats } from "../../spreadsheet/sheet.js";
import { readPairs } from "../../steps/read-pairs.js";
import { isMarkOf } from "../../steps/token.js";
import { type Outcome, refused } from "../../trip/outcome.js";
import type { Trip } from "../../trip/trip.js";
import { leftFile } from "./left.js";
import { lookAt } from "./looked-at.js";
import { saveLookedAt, showAgain } from "./saved.js";
import { GivenUp, refusedUpload, shownUpload, viewOf } from "./view.js";

/** Where a file is uploaded. */
export async function uploading(trip: Trip): Promise<Outcome> {
  trip.recorder.note("load", []);
  trip.recorder.note("prefill", []);
  return shownUpload(viewOf(trip, {}));
}

/** Takes a turn: a file is held in memory while it is looked at. What is given up comes to nothing. */
async function inTurn(trip: Trip, run: () => Promise<Outcome>): Promise<Outcome> {
  const { page, facts, recorder, dependencies } = trip;
  const turn = dependencies.exportTurn?.(facts.actor.id) ?? "free";
  if (turn !== "free") {
    recorder.note("read", [], turn === "export-of-yours" ? "they upload already" : "too many upload already");
    return refused(turn, page);
  }
  try {
    return await run();
  } catch (error) {
    if (!(error instanceof GivenUp)) throw error;
    recorder.note("write", [], error.message);
    return refusedUpload(viewOf(trip, { problem: word(page.language, "upload-given-up") }));
  }
}

/** A file that came back, what was looked at of one and is to be saved, or what of it could not be and is wanted as a file. */
export async function upload(trip: Trip, body: string): Promise<Outcome> {
  const { page, request, recorder } = trip;
  const pairs = readPairs(body);
  if (typeof pairs === "string") {
    recorder.note("read", [], pairs);
    return refused("form-broken", page);
  }
  const sent = new Map(pairs);
  const reason = sent.get(reasonName)?.trim() || null;
  const takesNew = sent.get(newName) === "true";
  const file = request.body && "files" in request.body ? request.body.files?.get(fileName) : undefined;
  if (file) return inTurn(trip, () => lookAt(trip, file.bytes, { reason, takesNew }));
  const left = sent.get(leftName);
  const format = fileFormats.find((each) => each === sent.get(answerName));
  if (left !== undefined && format) return leftFile(trip, left, format);
  const carried = sent.get(carriedName);
  const chosen = new Map(
    pairs.flatMap(([name, value]) =>
      name.startsWith(chosenName) ? [[name.slice(chosenName.length), value] as const] : [],
    ),
  );
  if (carried !== undefined) {
    const looked = { carried, chosen, reason };
    const session = sent.get(sessionName);
    // Programs have no session. People have signed in in between, as whoever they are: they were told that they would look at it once more.
    const isOfAnother = session !== undefined && !isMarkOf(session, request.session, trip.dependencies.signer);
    return inTurn(trip, () => (isOfAnother ? showAgain(trip, looked) : saveLookedAt(trip, looked)));
  }
  return refusedUpload(viewOf(trip, { problem: word(page.language, "upload-no-file"), reason, takesNew }));
}
