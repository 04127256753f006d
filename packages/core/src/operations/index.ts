import type { Outcome } from "../trip/outcome.js";
import type { Operation } from "../trip/round-trip.js";
import type { Trip } from "../trip/trip.js";
import { choices } from "./choices.js";
import { create } from "./create.js";
import { exportList } from "./export.js";
import { file } from "./file.js";
import { history } from "./history.js";
import { list } from "./list.js";
import { next, previous } from "./neighbour.js";
import { openNew } from "./new.js";
import { open, view } from "./open.js";
import { confirm, remove } from "./remove.js";
import { saveRows } from "./rows.js";
import { save } from "./save.js";
import { spreadsheet } from "./upload/download.js";
import { upload, uploading } from "./upload/upload.js";

/** What an operation does once Route, Key and Access are behind it, and what it takes of the request. */
export type Run =
  | { readonly takes: "nothing"; run(trip: Trip): Promise<Outcome> }
  /** The segments of the address behind the page's own. */
  | { readonly takes: "segments"; run(trip: Trip, segments: readonly string[]): Promise<Outcome> }
  /** The body of a form. */
  | { readonly takes: "body"; run(trip: Trip, body: string): Promise<Outcome> };

/** Each operation with what it does; which way it goes stands in `trip/round-trip.ts`. */
export const runs: Readonly<Record<Operation, Run>> = {
  list: { takes: "nothing", run: list },
  export: { takes: "nothing", run: exportList },
  view: { takes: "nothing", run: view },
  open: { takes: "nothing", run: open },
  file: { takes: "nothing", run: file },
  next: { takes: "nothing", run: next },
  previous: { takes: "nothing", run: previous },
  history: { takes: "nothing", run: history },
  new: { takes: "nothing", run: openNew },
  confirm: { takes: "nothing", run: confirm },
  choices: { takes: "segments", run: choices },
  save: { takes: "body", run: save },
  spreadsheet: { takes: "nothing", run: spreadsheet },
  uploading: { takes: "nothing", run: uploading },
  upload: { takes: "body", run: upload },
  rows: { takes: "body", run: saveRows },
  create: { takes: "body", run: create },
  delete: { takes: "body", run: remove },
};
