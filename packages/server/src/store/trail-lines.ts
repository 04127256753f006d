import { LookEntity, TrailEntity, type TrailEntry } from "./entities.js";
import type { InStore } from "./in-store.js";

type NewTrailEntry = Omit<TrailEntry, "id" | "at" | "database" | "times" | "last">;

/** What is asked of the trail. */
interface TrailQuery {
  readonly before?: string | undefined;
  /** An action, or the beginning of several. */
  readonly action?: string | undefined;
  /** An id: who did it, or to whom it was done. */
  readonly person?: string | undefined;
  readonly since?: Date | undefined;
  readonly limit: number;
}

/** The trail of administration: who did what, and who looked at what. */
export class TrailLines {
  constructor(private readonly store: InStore) {}

  /**
   * Notes that somebody looks at something: one line of the trail a person, action, subject and quarter of an hour, and beside it how often. The first look
   * draws the line's number, and of two at once the second waits for it.
   */
  async noteLook(entry: NewTrailEntry & { readonly actorId: string }): Promise<void> {
    const { actorId, actorName, action, subjectId, address, detail } = entry;
    const subject = entry.subject.slice(0, 1000);
    await this.store.em().execute(
      `WITH looked AS (
        INSERT INTO look (line, actor_id, action, subject, database, quarter)
        VALUES (nextval(pg_get_serial_sequence('trail', 'id')), ?, ?, ?, ?, date_bin('15 minutes', now(), 'epoch'))
        ON CONFLICT ON CONSTRAINT look_place DO UPDATE SET count = look.count + 1, last = now()
        RETURNING line, count
      )
      INSERT INTO trail (id, actor_id, actor_name, action, subject, subject_id, database, address, detail)
      SELECT line, ?, ?, ?, ?, ?, ?, ?, ?::jsonb FROM looked WHERE count = 1`,
      [
        ...[actorId, action, subject, this.store.database],
        ...[
          actorId,
          actorName,
          action,
          subject,
          subjectId,
          this.store.database,
          address.slice(0, 63),
          JSON.stringify(detail),
        ],
      ],
    );
  }

  /** Adds a line to the trail. */
  async note(entry: NewTrailEntry): Promise<void> {
    await this.store.em().insert(TrailEntity, {
      ...entry,
      subject: entry.subject.slice(0, 1000),
      address: entry.address.slice(0, 63),
      database: this.store.database,
    });
  }

  /** The trail, the newest first. */
  async read(query: TrailQuery): Promise<TrailEntry[]> {
    const found = await this.store.em().find(
      TrailEntity,
      {
        ...(query.before ? { id: { $lt: query.before } } : {}),
        ...(query.action ? { action: { $like: `${query.action}%` } } : {}),
        ...(query.person ? { $or: [{ actorId: query.person }, { subjectId: query.person }] } : {}),
        ...(query.since ? { at: { $gte: query.since } } : {}),
      },
      { orderBy: { id: "desc" }, limit: query.limit },
    );
    const looks = await this.store.em().find(LookEntity, { line: { $in: found.map(({ id }) => id) } });
    const byLine = new Map(looks.map((look) => [look.line.id, look]));
    return found.map((each) => {
      const look = byLine.get(each.id);
      const seen = look ? { times: look.count, last: look.last } : { times: 1, last: null };
      return { ...each, actorId: each.actorId ?? null, subjectId: each.subjectId ?? null, ...seen };
    });
  }
}
