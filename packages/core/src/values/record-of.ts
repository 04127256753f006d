import * as v from "valibot";

/** Names that `v.record` leaves out without a word, since assigning one of them changes an object instead of giving it an entry. Columns may be called so. */
const leftOut = ["__proto__", "prototype", "constructor"] as const;

/**
 * `v.record` for names that somebody else has chosen, such as those of columns: none is left out.
 *
 * @param key takes the name `x` as well: what stands under the names that are left out is judged under it
 */
export function recordOf<
  const Key extends v.GenericSchema<string, string>,
  const Value extends v.GenericSchema<unknown, unknown>,
>(key: Key, value: Value): v.RecordSchema<Key, Value, undefined> {
  const schema = v.record(key, value);
  const plainly = schema["~run"].bind(schema);
  const run: typeof plainly = (dataset, config) => {
    const given = dataset.value;
    const judged = plainly(dataset, config);
    if (typeof given !== "object" || given === null) return judged;
    for (const name of leftOut) {
      if (!Object.hasOwn(given, name)) continue;
      const inside: unknown = (given as Record<string, unknown>)[name];
      const alone = plainly({ typed: false, value: { x: inside } }, config);
      for (const issue of alone.issues ?? []) Object.assign(issue.path?.[0] ?? {}, { key: name, input: given });
      const issues = [...(judged.issues ?? []), ...(alone.issues ?? [])];
      const entry = { value: (alone.value as { x?: unknown }).x, enumerable: true, writable: true, configurable: true };
      Object.defineProperty(judged.value, name, entry);
      if (issues.length > 0) Object.assign(judged, { issues, typed: judged.typed && alone.typed });
    }
    return judged;
  };
  return Object.assign(schema, { "~run": run });
}
