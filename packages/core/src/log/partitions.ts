import type { Statement } from "../postgres/statement.js";

/** A month of the log, in UTC: `month` from 1. */
interface Month {
  readonly year: number;
  readonly month: number;
}

const two = (number: number): string => String(number).padStart(2, "0");
const first = ({ year, month }: Month): string => `${String(year).padStart(4, "0")}-${two(month)}-01 00:00:00+00`;
const after = ({ year, month }: Month): Month =>
  month === 12 ? { year: year + 1, month: 1 } : { year, month: month + 1 };

/** The name of a month's partition; it is computed from numbers only. */
export const partitionName = ({ year, month }: Month): string =>
  `change_${String(year).padStart(4, "0")}_${two(month)}`;

/** So many months from the one of a moment on. */
export function monthsFrom(moment: Date, count: number): readonly Month[] {
  let month: Month = { year: moment.getUTCFullYear(), month: moment.getUTCMonth() + 1 };
  return Array.from({ length: count }, () => {
    const here = month;
    month = after(month);
    return here;
  });
}

/**
 * Makes the partition of one month, where it is missing. Entries of that month that went to the default partition meanwhile are
 * moved: PostgreSQL would not take the new one beside them.
 */
export function monthPartition(year: number, month: number): Statement {
  const of = { year, month };
  const [name, from, to] = [partitionName(of), first(of), first(after(of))];
  return {
    purpose: "make partition",
    writes: true,
    text: `DO $$
BEGIN
  IF to_regclass('quill_log.${name}') IS NULL THEN
    LOCK TABLE quill_log.change_default IN ACCESS EXCLUSIVE MODE;
    CREATE TABLE quill_log.${name} (LIKE quill_log.change INCLUDING DEFAULTS INCLUDING CONSTRAINTS);
    WITH moved AS (DELETE FROM quill_log.change_default WHERE at >= '${from}' AND at < '${to}' RETURNING *)
    INSERT INTO quill_log.${name} SELECT * FROM moved;
    ALTER TABLE quill_log.change ATTACH PARTITION quill_log.${name} FOR VALUES FROM ('${from}') TO ('${to}');
  END IF;
END $$`,
    values: [],
  };
}

/** So many months ahead should have a partition while pages are served: this one and the next two. */
const wanted = 3;

/** The months at hand that have no partition yet. */
export const missingMonths = (partitions: readonly string[], now: Date): readonly Month[] =>
  monthsFrom(now, wanted).filter((month) => !partitions.includes(partitionName(month)));
