import { type Expression, partsOf } from "./expression.js";

/** The steps that one evaluation of a condition may take: so many that it still takes milliseconds. */
export const mostSteps = 50_000;

/** The steps that a condition may take by what is written in it; the lists of an actor come on top of that. */
export const mostWrittenSteps = 5_000;

/** The steps that all conditions of a page may take by what is written in them. */
export const mostStepsOfPage = 20_000;

/** The parameters that a condition may come to in a statement. PostgreSQL takes 65,535 in all (protocol, Bind: Int16). */
export const mostParameters = 10_000;

/** A condition that took more steps, or came to more parameters, than it may: by the lists of who asks, since its own are judged before. */
export class ConditionTooLong extends Error {
  /** What it is over HTTP, where nobody says it better (RFC 9110, 15.5.21). */
  readonly status = 422;

  constructor() {
    super("a condition takes more steps than it may");
  }
}

/** What is left of the steps of one evaluation: counted, so that the same is taken everywhere. */
export class Budget {
  constructor(private left = mostSteps) {}

  /** @throws ConditionTooLong */
  spend(steps = 1): void {
    this.left -= steps;
    if (this.left < 0) throw new ConditionTooLong();
  }
}

/**
 * The steps that an expression may take by what is written in it: each part once, the body of a quantifier once for each member of its
 * list. The lists of an actor count as one member.
 */
export function writtenSteps(expression: Expression): number {
  switch (expression.op) {
    case "some":
    case "every": {
      const members = expression.list.op === "list" ? expression.list.members.length : 1;
      return 1 + writtenSteps(expression.list) + members * writtenSteps(expression.body);
    }
    default:
      return 1 + partsOf(expression).reduce((sum, part) => sum + writtenSteps(part), 0);
  }
}
