import { namesIn } from "../postgres/answered.js";
import { literal } from "../postgres/literal.js";
import type { Row, Statement } from "../postgres/statement.js";
import { allFunctions } from "./schema.js";

/**
 * What stands in the log's schema, held against what this version makes there: the log is verified by what its functions did, so none of them may be
 * another one, and nothing else may stand between them and its tables.
 */

/** A function as PostgreSQL keeps it. */
interface Made {
  readonly name: string;
  /** The types of its arguments, as they are written. */
  readonly types: readonly string[];
  readonly language: string;
  readonly source: string;
  readonly isDefiner: boolean;
  /** `i`, `s` or `v` (pg_proc.provolatile). */
  readonly volatile: string;
  /** Settings, `name=value`, both in small letters, without quotes. */
  readonly settings: readonly string[];
}

const form =
  /CREATE OR REPLACE FUNCTION quill_log\.(\w+)\(([\s\S]*?)\)\s*RETURNS [\s\S]*?\sLANGUAGE (\w+)([\s\S]*?)\sAS \$\$([\s\S]*?)\$\$/g;

/** Settings as they are written after a function's language. */
const settingsIn = (text: string): string[] =>
  [...text.matchAll(/SET (\w+)\s*(?:=|TO)\s*('[^']*'|[^\s,]+(?:, [^\s,]+)*)/g)].map(([, name = "", value = ""]) =>
    `${name}=${value.replaceAll("'", "")}`.toLowerCase(),
  );

/** The functions that a text of SQL makes. */
function functionsIn(sql: string): readonly Made[] {
  return [...sql.matchAll(form)].map(([, name = "", told = "", language = "", more = "", source = ""]) => ({
    name,
    types: told.split(",").flatMap((each) => each.trim().split(/\s+/).slice(1).join(" ") || []),
    language: language.toLowerCase(),
    source,
    isDefiner: /SECURITY DEFINER/.test(more),
    volatile: /IMMUTABLE/.test(more) ? "i" : /STABLE/.test(more) ? "s" : "v",
    settings: settingsIn(more),
  }));
}

/** How the function of a watched table is made. */
export const watchFunction = (number: string, source: string, settings: string): Made => ({
  name: `watch_${number}`,
  types: [],
  language: "plpgsql",
  source,
  isDefiner: true,
  volatile: "v",
  settings: settingsIn(settings),
});

/** Asks for every function in the log's schema, and which of the known ones it is by its name and the types of its arguments. */
export const functionsStatement = (known: readonly Made[]): Statement => ({
  purpose: "the log's functions",
  text: `SELECT p.proname AS "name", l.lanname AS "language", p.prosrc AS "source", p.prosecdef::text AS "definer", p.provolatile AS "volatile",
  to_json(p.proconfig)::text AS "settings", (p.proowner = n.nspowner OR (SELECT r.rolsuper FROM pg_roles AS r WHERE r.oid = p.proowner))::text AS "owned",
  EXISTS (SELECT FROM (VALUES ${known.map(({ name, types }) => `(${literal(name)}, ${literal(types.join(", "))})`).join(", ")}) AS k(name, types)
    WHERE k.name = p.proname AND to_regprocedure('quill_log.' || k.name || '(' || k.types || ')') = p.oid)::text AS "known"
FROM pg_proc AS p JOIN pg_namespace AS n ON n.oid = p.pronamespace JOIN pg_language AS l ON l.oid = p.prolang
WHERE n.nspname = 'quill_log' ORDER BY 1`,
  values: [],
});

/** Which functions are not what they should be, each with what is wrong. */
export function wrongFunctions(rows: readonly Row[], known: readonly Made[]): readonly (readonly [string, string])[] {
  const missing = new Set(known.map(({ name }) => name));
  const wrong = rows.flatMap((row): (readonly [string, string])[] => {
    const name = row.name ?? "";
    const made = known.find((each) => each.name === name);
    if (!made || row.known !== "true") return [[name, "It is none of the log's."]];
    missing.delete(name);
    const settings = namesIn(row.settings).map((each) => each.replaceAll(/['"]/g, "").toLowerCase());
    const isSame =
      row.source === made.source &&
      row.language === made.language &&
      (row.definer === "true") === made.isDefiner &&
      row.volatile === made.volatile &&
      row.owned === "true" &&
      settings.toSorted().join("\n") === made.settings.toSorted().join("\n");
    return isSame ? [] : [[name, "It is not what this version makes."]];
  });
  return [...wrong, ...[...missing].map((name) => [name, "It is gone."] as const)];
}

/** The functions that this version makes in the log's schema, but those of watched tables. */
export const ownFunctions = functionsIn(allFunctions);

/** What else stands before the log's tables: `what`, one row each. */
export const beforeTablesStatement = (): Statement => ({
  purpose: "what stands before the log's tables",
  text: `SELECT format('the rule %I on %s', r.rulename, r.ev_class::regclass) AS "what"
FROM pg_rewrite AS r JOIN pg_class AS c ON c.oid = r.ev_class WHERE c.relnamespace = 'quill_log'::regnamespace AND c.relkind IN ('r', 'p')
UNION ALL
SELECT format('the trigger %I on %s', g.tgname, g.tgrelid::regclass)
FROM pg_trigger AS g JOIN pg_class AS c ON c.oid = g.tgrelid
WHERE c.relnamespace = 'quill_log'::regnamespace AND NOT g.tgisinternal
  AND pg_get_triggerdef(g.oid) NOT LIKE 'CREATE TRIGGER quill_notify AFTER INSERT ON quill_log.change REFERENCING NEW TABLE AS new_rows FOR EACH STATEMENT EXECUTE FUNCTION quill_log.notify_changes()'
UNION ALL
SELECT format('row level security on %s', c.oid::regclass) FROM pg_class AS c WHERE c.relnamespace = 'quill_log'::regnamespace AND c.relrowsecurity
UNION ALL
SELECT format('session_replication_role, set for %s', coalesce(r.rolname, d.datname, 'all'))
FROM pg_db_role_setting AS s LEFT JOIN pg_roles AS r ON r.oid = s.setrole LEFT JOIN pg_database AS d ON d.oid = s.setdatabase
WHERE EXISTS (SELECT FROM unnest(s.setconfig) AS one WHERE one LIKE 'session_replication_role=%' AND one NOT LIKE '%=origin')`,
  values: [],
});
