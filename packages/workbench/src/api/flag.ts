/** Something that is so or not, and who hears when that changes. */
export class Flag {
  #is = false;
  readonly #listeners = new Set<() => void>();

  readonly get = (): boolean => this.#is;

  readonly subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener);
    return () => void this.#listeners.delete(listener);
  };

  /** Says how it is by now. Everybody hears of it where that is something else, or where `anew` is given. */
  set(is: boolean, anew = false): void {
    if (this.#is === is && !anew) return;
    this.#is = is;
    for (const listener of this.#listeners) listener();
  }
}
