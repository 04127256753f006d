import { saidBy } from "./said-by.js";

/** Code of a developer's own failed. */
export class OwnCodeFailed extends Error {
  override readonly name: string = "OwnCodeFailed";
}

/** Runs a developer's own code. @throws OwnCodeFailed, with what it is called, where it fails */
export function guardedly<Result>(what: string, run: () => Result): Result {
  try {
    return run();
  } catch (error) {
    if (error instanceof OwnCodeFailed) throw error;
    throw new OwnCodeFailed(`${what} failed: ${saidBy(error)}`, { cause: error });
  }
}

/** How a definition reads: two that read the same are the same, also where their module was loaded twice. */
const textOf = (definition: object): string =>
  Object.entries(definition)
    .map(([name, value]) => `${name}: ${typeof value === "function" ? String(value) : JSON.stringify(value)}`)
    .join("\n");

/**
 * What is known by name: our own kinds, and those that a developer adds. One for the whole process, as names in page files are: two that differ can't
 * have one name.
 */
export class Registry<Kind extends { readonly name: string }> {
  private readonly kinds: Map<string, Kind>;
  private readonly added = new Map<string, { readonly text: string; readonly source: string }>();
  private listed: readonly Kind[] | undefined;
  /** Counts up with everything that is added. */
  version = 0;

  constructor(
    /** What they are: `rule`. */
    private readonly what: string,
    own: readonly Kind[],
  ) {
    this.kinds = new Map(own.map((kind) => [kind.name, kind]));
  }

  get all(): readonly Kind[] {
    this.listed ??= [...this.kinds.values()];
    return this.listed;
  }

  get(name: string): Kind | undefined {
    return this.kinds.get(name);
  }

  /** Those that were added, by name, with where they stand. */
  get ofOthers(): ReadonlyMap<string, string> {
    return new Map([...this.added].map(([name, { source }]) => [name, source]));
  }

  /**
   * Adds one.
   *
   * @param source where it stands, for messages; another one from there takes its place
   * @throws where the name is taken, or is none
   */
  add(kind: Kind, definition: object, source: string): void {
    const name: unknown = kind.name;
    if (typeof name !== "string" || !/^[a-z][a-z0-9]*(-[a-z0-9]+)*$/.test(name))
      throw new Error(
        `"${String(name)}" in ${source} can't be the name of a ${this.what}: write it in small letters with hyphens, like grid-reference.`,
      );
    const before = this.added.get(name);
    const text = textOf(definition);
    if (!before && this.kinds.has(name))
      throw new Error(`There is a ${this.what} "${name}" already: give the one in ${source} another name.`);
    if (before && before.text !== text && before.source !== source)
      throw new Error(
        `A ${this.what} "${name}" stands in ${before.source} and in ${source}, and they differ: give one of them another name.`,
      );
    if (before?.text === text) return;
    this.added.set(name, { text, source });
    this.kinds.set(name, kind);
    this.listed = undefined;
    this.version += 1;
  }

  /** Leaves what is our own. A process of tests runs one file after the other: what one of them has added is not known to the next. */
  forget(): void {
    for (const name of this.added.keys()) this.kinds.delete(name);
    this.added.clear();
    this.listed = undefined;
    this.version += 1;
  }
}
