import type { InStore } from "./in-store.js";

/** On which the processes over a store hear that something stands in the table of what they tell each other. */
export const channel = "loyal_quill";

/**
 * Tells all processes over the store, this one too, that an account was made or changed, or what belongs to one: by whichever process, of which
 * a command is one that hears nothing itself. A store that can't be told has changed the account all the same.
 */
export async function tellOfPeople(store: InStore): Promise<void> {
  await store
    .em()
    .execute(
      `WITH told AS (
         INSERT INTO happening (process, database, told) VALUES (gen_random_uuid(), '', '{"kind": "people"}') RETURNING id
       ) SELECT pg_notify('${channel}', max(id)::text) FROM told`,
    )
    .catch(() => {});
}
