import { DatabaseRefusal } from "@loyal-quill/core";

/** At most so many at once; others wait for their turn, in their order, and not for ever. */
export class Share {
  private free: number;
  private readonly waiting: (() => void)[] = [];

  /** @param patience how long one waits for a turn, in milliseconds */
  constructor(
    size: number,
    private readonly patience: number,
  ) {
    this.free = size;
  }

  /**
   * Takes a turn.
   *
   * @returns what gives it back
   * @throws DatabaseRefusal as when PostgreSQL has no connection left (53300), when none came in time
   */
  async take(): Promise<() => void> {
    if (this.free > 0) this.free -= 1;
    else await this.turn();
    let given = false;
    return () => {
      if (given) return;
      given = true;
      const next = this.waiting.shift();
      if (next) next();
      else this.free += 1;
    };
  }

  private turn(): Promise<void> {
    return new Promise((resolve, reject) => {
      const mine = (): void => {
        clearTimeout(timer);
        resolve();
      };
      const timer = setTimeout(() => {
        this.waiting.splice(this.waiting.indexOf(mine), 1);
        reject(new DatabaseRefusal("53300", "too many are writing at once"));
      }, this.patience);
      this.waiting.push(mine);
    });
  }
}
