/** Where a record's changes are shown. */
export const recordPlace = (table: string, key: Readonly<Record<string, string>>): string =>
  `/changes/record?${new URLSearchParams({ table, key: JSON.stringify(key) })}`;

/** A record's key for people. */
export const keyText = (key: Readonly<Record<string, string>>): string => Object.values(key).join(" / ");
