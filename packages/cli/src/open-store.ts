import { readLogState } from "@loyal-quill/core";
import { Store, StoreRefused } from "@loyal-quill/server";
import { shownUrl } from "./from-environment.js";
import { CannotStart } from "./listen.js";
import { withDatabase } from "./open-database.js";

/**
 * The store holds password hashes and the trail: it is no database that people edit. Two addresses may lead to one, so its log tells.
 *
 * @throws CannotStart where it is one, or can't be reached
 */
export async function needStoreApart(url: string): Promise<void> {
  if (!(await withDatabase(url, readLogState)).there) return;
  throw new CannotStart(
    `${shownUrl(url)} can't be the store: its records are edited. The store holds accounts and the trail: make it a database of its own, with a user of its own.`,
  );
}

/** What a refused store is told as. */
export const refusedStore = (url: string, error: unknown): unknown =>
  error instanceof StoreRefused ? new CannotStart(`${shownUrl(url)}: ${error.message}`) : error;

/**
 * Runs something with the store, and closes it afterwards.
 *
 * @param mayMake whether an empty database becomes a store
 */
export async function withStore<Result>(
  url: string,
  mayMake: boolean,
  run: (store: Store) => Promise<Result>,
): Promise<Result> {
  await needStoreApart(url);
  const store = await Store.open(url, url, mayMake).catch((error: unknown) => {
    throw refusedStore(url, error);
  });
  try {
    return await run(store);
  } finally {
    await store.close();
  }
}
