/** What can't be done with a draft, and what to do instead. */
export class DeskRefusal extends Error {
  override readonly name = "DeskRefusal";

  constructor(
    readonly title: string,
    detail: string,
    readonly status: 403 | 404 | 409 | 422 | 429 = 409,
  ) {
    super(detail);
  }
}
