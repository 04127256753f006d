/**
 * What objects by column names are made by: nothing is inherited, since a column may be called like a member of every object (`constructor`). An object of
 * its own is read and copied faster than one without a prototype, which engines keep as a hash table.
 */
function ByName(this: object): void {}
ByName.prototype = Object.freeze(Object.create(null));
const Names = ByName as unknown as new () => object;

/** An object whose members are named by columns: it has no others. */
export const byName = <Value>(of: Readonly<Record<string, Value>> = {}): { [name: string]: Value } =>
  Object.assign(new Names() as { [name: string]: Value }, of);
