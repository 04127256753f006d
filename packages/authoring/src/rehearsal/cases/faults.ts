import { DatabaseAway, DatabaseRefusal } from "@loyal-quill/core/postgres/statement";
import type { Prepared } from "../prepare.js";

/** A failure that PostgreSQL would report in the place of an answer. */
interface Fault {
  readonly kind: string;
  readonly title: string;
  readonly error: DatabaseRefusal | DatabaseAway;
  readonly statuses: readonly number[];
  readonly expects: string;
  readonly by: string;
}

export const faults = ({ page: { table } }: Prepared): readonly Fault[] => {
  const check = table.constraints.find(({ kind }) => kind === "check");
  const reference = table.references[0];
  const refusals: Fault[] = [
    ...(check
      ? [
          {
            kind: "write.check-constraint",
            title: `The table refuses it by ${check.constraint}`,
            error: new DatabaseRefusal("23514", `new row violates check constraint "${check.constraint}"`, {
              constraint: check.constraint,
              table,
            }),
            statuses: [422],
            expects: "422, the form with a message and what was typed; nothing is written",
            by: `table: ${check.constraint}`,
          },
        ]
      : []),
    ...(reference
      ? [
          {
            kind: "write.reference-gone",
            title: `The record that ${reference.columns.join(", ")} refers to is gone at that moment`,
            error: new DatabaseRefusal("23503", `violates foreign key constraint "${reference.constraint}"`, {
              constraint: reference.constraint,
              table,
            }),
            statuses: [422],
            expects: "422, the form with a message and what was typed; nothing is written",
            by: `table: ${reference.constraint}`,
          },
        ]
      : []),
    {
      kind: "write.trigger-refuses",
      title: "A trigger refuses it with an error of its own",
      error: new DatabaseRefusal("P0001", "not while the gates are open", { inside: true }),
      statuses: [422],
      expects: "422, the form with a message and what was typed; nothing is written",
      by: "PostgreSQL, 43.9",
    },
  ];
  const unavailable = (kind: string, title: string, error: Fault["error"], by: string): Fault => ({
    kind,
    title,
    error,
    statuses: [503],
    expects: "503, the form with what was typed; nothing is written",
    by,
  });
  return [
    ...refusals,
    unavailable(
      "write.deadlock",
      "A deadlock, each time",
      new DatabaseRefusal("40P01", "deadlock detected"),
      "PostgreSQL, 13.3.4",
    ),
    unavailable(
      "write.serialization",
      "A serialization failure, each time",
      new DatabaseRefusal("40001", "could not serialize access"),
      "PostgreSQL, 13.5",
    ),
    unavailable(
      "write.time-limit",
      "The statement is given up by its time limit",
      new DatabaseRefusal("57014", "canceling statement due to statement timeout"),
      "PostgreSQL, 20.11.1",
    ),
    unavailable(
      "write.locked",
      "Somebody else holds the record",
      new DatabaseRefusal("55P03", "canceling statement due to lock timeout"),
      "PostgreSQL, 20.11.1",
    ),
    unavailable(
      "write.disk-full",
      "The database has no room left",
      new DatabaseRefusal("53100", "could not extend file"),
      "PostgreSQL, appendix A",
    ),
    unavailable(
      "write.away",
      "The connection is lost before the statement is sent",
      new DatabaseAway("connection refused", false),
      "RFC 9110, 15.6.4",
    ),
  ];
};
