/** An object whose members are named by columns: without a prototype, since a column may be called like one of its members (`constructor`). */
export const byName = <Value>(of: Readonly<Record<string, Value>> = {}): { [name: string]: Value } =>
  Object.assign(Object.create(null) as { [name: string]: Value }, of);
