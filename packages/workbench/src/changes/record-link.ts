/** Where a record's changes are shown. @param entry one of them, by which it is known if another record has its key by now */
export const recordPlace = (table: string, key: Readonly<Record<string, string>>, entry: string): string =>
  `/changes/record?${new URLSearchParams({ table, key: JSON.stringify(key), entry })}`;

/** A record's key for people. */
export const keyText = (key: Readonly<Record<string, string>>): string => Object.values(key).join(" / ");
