import type { Table } from "@loyal-quill/core";
import type { InferEntity } from "@mikro-orm/core";
import { type Version, VersionEntity } from "./entities.js";
import type { InStore } from "./in-store.js";

/** The last version of a page: its text is null where the file was taken away, its table where it was not known. */
interface LastVersion {
  readonly page: string;
  readonly number: string;
  readonly text: string | null;
  readonly model: Table | null;
}

const plainVersion = (found: InferEntity<typeof VersionEntity>): Version => ({
  ...found,
  byName: found.byName ?? null,
  byId: found.byId ?? null,
  text: found.text ?? null,
  model: found.model ?? null,
});

/** What page files were, each time that they were published or changed on disk, of one edited database. */
export class Versions {
  constructor(private readonly store: InStore) {}

  /** Everything that a page's file ever was, newest first. */
  async of(page: string): Promise<Version[]> {
    const found = await this.store
      .em()
      .find(VersionEntity, { database: this.store.database, page }, { orderBy: { number: "desc" } });
    return found.map(plainVersion);
  }

  /** Each page's last version. */
  async last(): Promise<LastVersion[]> {
    return this.store
      .em()
      .execute<LastVersion[]>(
        "SELECT DISTINCT ON (page) page, number::text, text, model FROM version WHERE database = ? ORDER BY page, version.number DESC",
        [this.store.database],
      );
  }

  /** What stands for each page's last version as it is now: as long as it is the same, {@link lastVersions} are. */
  async lastMark(): Promise<string> {
    const [row] = await this.store.em().execute<{ mark: string | null }[]>(
      `SELECT md5(string_agg(concat_ws(' ', page, number, mark), ',' ORDER BY page)) AS mark FROM (
           SELECT DISTINCT ON (page) page, number, version.xmin::text AS mark FROM version WHERE database = ? ORDER BY page, version.number DESC) AS last`,
      [this.store.database],
    );
    return row?.mark ?? "";
  }

  /** Takes note of a version's table as it is now. */
  async noteModel(number: string, model: Table | null): Promise<void> {
    await this.store.em().nativeUpdate(VersionEntity, { number }, { model });
  }

  async add(version: Omit<Version, "number">): Promise<string> {
    const em = this.store.em();
    return em.insert(VersionEntity, { ...version, database: this.store.database } as Version & { database: string });
  }

  async addAll(versions: readonly Omit<Version, "number">[]): Promise<void> {
    if (versions.length === 0) return;
    const rows = versions.map((each) => ({ ...each, database: this.store.database })) as (Version & {
      database: string;
    })[];
    await this.store.em().insertMany(VersionEntity, rows);
  }

  /** The texts of pages' versions, the newest first, by page. */
  async texts(pages: readonly string[]): Promise<ReadonlyMap<string, readonly (string | null)[]>> {
    const rows = await this.store
      .em()
      .execute<{ page: string; text: string | null }[]>(
        `SELECT page, text FROM version WHERE database = ? AND page IN (SELECT jsonb_array_elements_text(?::jsonb)) ORDER BY version.number DESC`,
        [this.store.database, JSON.stringify(pages)],
      );
    const texts = new Map<string, (string | null)[]>();
    for (const { page, text } of rows) texts.set(page, [...(texts.get(page) ?? []), text]);
    return texts;
  }

  /** The texts that pages had, the newest first, by page; what was deleted had none. */
  async textsThatWere(pages: readonly string[]): Promise<ReadonlyMap<string, readonly string[]>> {
    const texts = await this.texts(pages);
    return new Map([...texts].map(([page, all]) => [page, all.filter((text) => text !== null)]));
  }

  async drop(number: string): Promise<void> {
    await this.store.em().nativeDelete(VersionEntity, { number });
  }
}
