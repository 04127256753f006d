import { againStatement, outboxUsableStatement, type Row, waitingStatement } from "@loyal-quill/core";
import { quill } from "../called.js";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";
import { withDatabase } from "../open-database.js";

export interface OutboxOptions {
  readonly database: string;
  /** Whether what was given up is to be tried again. */
  readonly again: boolean;
}

/** So many are listed. */
const most = 1000;

const lineOf = ({ id, page, entry, made, tries, said, due, given_up: givenUp }: Row): string =>
  [
    id,
    page,
    `entry ${entry}`,
    `since ${made}`,
    `${tries} ${tries === "1" ? "try" : "tries"}`,
    givenUp === null ? `again at ${due}` : `given up at ${givenUp}`,
    ...(said === null || said === undefined ? [] : [said]),
  ].join("  ");

/** `quill outbox`: what is still to be done after saves, and what was given up. */
export async function outbox({ database, again }: OutboxOptions, say: Say): Promise<void> {
  await withDatabase(database, async (opened) => {
    const [usable] = await opened.run(outboxUsableStatement());
    if (usable?.usable !== "true")
      throw new CannotStart(
        `There is no outbox that this connection may use. Make it as the database's owner with: ${quill} log install --database URL --for ROLE`,
      );
    if (again) {
      const [row] = await opened.run(againStatement());
      say(`Tried again, by the processes that serve the pages: ${row?.count ?? "0"}.`);
    }
    const waiting = await opened.run(waitingStatement(most));
    if (waiting.length === 0) say("Nothing waits.");
    for (const row of waiting) say(lineOf(row));
    if (waiting.length === most) say(`Only the first ${most} are listed.`);
  });
}
