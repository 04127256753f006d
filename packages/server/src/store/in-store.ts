import type { SqlEntityManager } from "@mikro-orm/postgresql";

/** What the parts of the store work with. */
export interface InStore {
  /** A unit of work of its own. */
  readonly em: () => SqlEntityManager;
  /** The edited database that it is about, by its name: empty for the first one. */
  readonly database: string;
}
