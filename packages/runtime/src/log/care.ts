import {
  type Database,
  DatabaseRefusal,
  logVersion,
  missingMonths,
  monthPartition,
  partitionName,
  readLogState,
} from "@loyal-quill/core";

/** Looks after the change log while pages are served. */
export interface LogCare {
  /** What somebody should do about the log; null where all is well. */
  readonly notice: () => string | null;
  /** Looks now. Where the database is away nothing is known, and the notice stays what it was. */
  readonly look: () => Promise<void>;
  readonly close: () => void;
}

const everySixHours = 6 * 3_600_000;

const byOwner = "as its owner with: quill log install --database URL";

const install = "as the tables' owner with: quill log install --database OWNER_URL --for ROLE";
const notOpen = `This connection may not write the change log, so nothing can be saved. Grant it ${install}`;

/** What is the matter with the log itself: not there, not open to the connection, of another version; null where it can be written. */
function stateNotice(state: Awaited<ReturnType<typeof readLogState>>): string | null {
  if (!state.there) return `There is no change log, so nothing can be saved. Install it ${install}`;
  if (!state.usable) return notOpen;
  if (state.since > logVersion)
    return `The change log is of version ${state.version}, newer than this program knows (${logVersion}): update Loyal Quill.`;
  if (state.version < logVersion)
    return `The change log is of version ${state.version}; this program writes version ${logVersion}. Upgrade it ${byOwner}`;
  return null;
}

/** The same of the log of a database; null too where that can't be told, since the database is away. */
export const logNotice = (database: Database): Promise<string | null> =>
  readLogState(database).then(stateNotice, (error: unknown) =>
    // Without the right on its schema not even that can be asked.
    error instanceof DatabaseRefusal && error.sqlState === "42501" ? notOpen : null,
  );

async function noticeFor(database: Database, now: Date): Promise<string | null> {
  const state = await readLogState(database);
  const wrong = stateNotice(state);
  if (wrong !== null) return wrong;
  const missing = missingMonths(state.partitions, now);
  if (missing.length === 0) return null;
  if (!state.owned) {
    const months = missing.map((month) => partitionName(month).slice("change_".length).replace("_", "-"));
    return `The change log has no partition for ${months.join(", ")}: entries go to the default partition. Make them ${byOwner}`;
  }
  for (const { year, month } of missing) await database.run(monthPartition(year, month));
  return null;
}

/**
 * Makes the log's partitions of the coming months where the connection may, and says so where it may not: at once and every six hours.
 *
 * @param tell told of each new notice
 */
export function careForLog(database: Database, tell: (notice: string) => void, now = (): Date => new Date()): LogCare {
  let notice: string | null = null;
  const look = async (): Promise<void> => {
    try {
      const found = await noticeFor(database, now());
      if (found !== null && found !== notice) tell(found);
      notice = found;
    } catch {
      // The database is away, or somebody holds the log: the next time.
    }
  };
  const timer = setInterval(() => void look(), everySixHours).unref();
  return { notice: () => notice, look, close: () => clearInterval(timer) };
}
