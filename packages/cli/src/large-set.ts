import { addNotes, countNotes, largeSet, notesAtATime } from "@loyal-quill/demo";
import pg from "pg";
import type { Say } from "./cluster/cluster.js";

/** A work in the background that can be ended before it is done. */
export interface Filling {
  readonly done: Promise<void>;
  readonly stop: () => Promise<void>;
}

/**
 * Fills the large table of the demo up to five million notes, some at a time, and says how far it is. What is there already is not made again, so
 * that it can be stopped and gone on with.
 *
 * @param ownerUrl `postgresql://…` of the demo database's owner
 */
export function fillLargeSet(ownerUrl: string, say: Say): Filling {
  let stopped = false;
  const fill = async (): Promise<void> => {
    const client = new pg.Client(ownerUrl);
    await client.connect();
    try {
      let made = await countNotes(client);
      if (made >= largeSet) return say("The large set is there already.");
      say(`Making ${largeSet.toLocaleString("en")} notes of readings in the background …`);
      let told = Math.floor((made * 10) / largeSet);
      while (made < largeSet && !stopped) {
        const to = Math.min(made + notesAtATime, largeSet);
        await addNotes(client, made + 1, to);
        made = to;
        const tenths = Math.floor((made * 10) / largeSet);
        if (tenths > told) say(`Notes of readings: ${tenths * 10} %`);
        told = tenths;
      }
      // What the lists know of its size comes from here.
      await client.query("ANALYZE field.reading_note");
      if (!stopped) say("The large set is complete.");
    } finally {
      await client.end();
    }
  };
  const done = fill().catch((error: unknown) => say(`The large set could not be made: ${(error as Error).message}`));
  return {
    done,
    stop: async () => {
      stopped = true;
      await done;
    },
  };
}
