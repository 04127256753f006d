/** Who asks, as your application knows them. */
export interface Actor {
  /** What the log calls them: it must not change when their name does. */
  readonly id: string;
  readonly name: string;
  readonly roles: readonly string[];
}
