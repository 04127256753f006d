import type { Row, Statement } from "@loyal-quill/core";

/** What of a store is in a database: whether its records are edited, whether there is a store, and whether tables of something else. */
export const whatIsThere: Statement = {
  purpose: "the store",
  // Tables that an extension brought are nobody's. (The log's schema is made by `quill log install`.)
  text: `SELECT (to_regnamespace('quill_log') IS NOT NULL)::text AS "edited", (to_regclass('migration') IS NOT NULL)::text AS "there",
  (to_regclass('process') IS NOT NULL)::text AS "several",
  EXISTS (
    SELECT FROM pg_class AS c
    WHERE c.relkind IN ('r', 'p') AND c.relnamespace::regnamespace::text !~ '^(pg_|information_schema$)'
      AND NOT EXISTS (SELECT FROM pg_depend AS d WHERE d.classid = 'pg_class'::regclass AND d.objid = c.oid AND d.deptype = 'e')
  )::text AS "tables"`,
  values: [],
};

/** Whether it is a store, could become one, or is a database of something else. */
export const storeStateOf = (row: Row | undefined): "made" | "empty" | "other" =>
  row?.there === "true" ? "made" : row?.edited === "true" || row?.tables === "true" ? "other" : "empty";
