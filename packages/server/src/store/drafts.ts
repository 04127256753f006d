import { type Draft, DraftEntity } from "./entities.js";
import type { InStore } from "./in-store.js";

/** A draft as a list tells of it. */
interface DraftNote {
  readonly page: string;
  readonly revision: number;
  readonly byName: string;
  readonly at: Date;
  /** Null where it is known from elsewhere. */
  readonly text: string | null;
}

/** Page files that are being worked on, of one edited database. */
export class Drafts {
  constructor(private readonly store: InStore) {}

  async one(page: string): Promise<Draft | null> {
    const found = await this.store.em().findOne(DraftEntity, { database: this.store.database, page });
    return found && { ...found, base: found.base ?? null, byId: found.byId ?? null };
  }

  async all(): Promise<Draft[]> {
    const found = await this.store
      .em()
      .find(DraftEntity, { database: this.store.database }, { orderBy: { page: "asc" } });
    return found.map((each) => ({ ...each, base: each.base ?? null, byId: each.byId ?? null }));
  }

  /**
   * The drafts as a list tells of them.
   *
   * @param known pages of which the text is known from elsewhere: it is left out
   */
  async notes(known: readonly string[]): Promise<DraftNote[]> {
    const rows = await this.store.em().execute<(Omit<DraftNote, "at"> & { at: string | Date })[]>(
      `SELECT page, revision, by_name AS "byName", at, CASE WHEN page IN (SELECT jsonb_array_elements_text(?::jsonb)) THEN NULL ELSE text END AS text
         FROM draft WHERE database = ? ORDER BY page`,
      [JSON.stringify(known), this.store.database],
    );
    return rows.map((row) => ({ ...row, at: new Date(row.at) }));
  }

  /** Begins a draft. @returns false where there is one already */
  async begin(draft: Draft): Promise<boolean> {
    const rows = await this.store
      .em()
      .upsertMany(DraftEntity, [{ ...draft, database: this.store.database }], { onConflictAction: "ignore" });
    return rows.length > 0 && (await this.one(draft.page))?.text === draft.text;
  }

  /** Sets a draft to another text. @returns false where somebody else changed it since `from` */
  async change(from: number, draft: Draft): Promise<boolean> {
    const { page, ...rest } = draft;
    return (
      (await this.store
        .em()
        .nativeUpdate(DraftEntity, { database: this.store.database, page, revision: from }, rest)) === 1
    );
  }

  /** Takes a draft away. @returns false where somebody changed it since `revision` */
  async drop(page: string, revision: number): Promise<boolean> {
    return (await this.store.em().nativeDelete(DraftEntity, { database: this.store.database, page, revision })) === 1;
  }
}
