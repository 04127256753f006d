import { randomBytes, randomUUID, timingSafeEqual } from "node:crypto";
import { fileURLToPath } from "node:url";
import cookieSession from "cookie-session";
import express, { type Request, type Response } from "express";
import type pg from "pg";
import * as v from "valibot";

/**
 * The edit page of a station as a good engineer writes it by hand: one module, `pg`, a template, a session, a token against forged
 * requests, rules that say what the table says, a row lock, an update of what changed, a log entry. It is what our page is held against.
 */

interface Person {
  readonly id: string;
  readonly name: string;
  readonly roles: readonly string[];
  readonly regionId: number;
}

const levelText = v.pipe(
  v.string(),
  v.trim(),
  v.regex(/^\d{1,3}(\.\d{1,2})?$/, "must be a number with at most 2 digits after the point"),
);
const optional = <Schema extends v.GenericSchema<string, string>>(schema: Schema) =>
  v.pipe(
    v.string(),
    v.trim(),
    v.union([
      v.pipe(
        v.literal(""),
        v.transform(() => null),
      ),
      schema,
    ]),
  );

const stationForm = v.pipe(
  v.object({
    name: v.pipe(v.string(), v.trim(), v.minLength(1, "is needed"), v.maxLength(60, "is too long")),
    river_id: v.pipe(v.string(), v.regex(/^\d+$/, "must be one of the rivers")),
    region_id: v.pipe(v.string(), v.regex(/^\d+$/, "must be one of the regions")),
    grid_reference: v.pipe(
      v.string(),
      v.trim(),
      v.toUpperCase(),
      v.minLength(1, "is needed"),
      v.maxLength(12, "is too long"),
    ),
    status: v.picklist(["planned", "live", "suspended", "retired"], "must be one of the states"),
    alert_m: levelText,
    warning_m: levelText,
    telemetry: v.pipe(
      v.optional(v.string(), ""),
      v.transform((text) => text === "true"),
    ),
    installed_on: optional(v.pipe(v.string(), v.isoDate("must be a date"))),
    notes: v.pipe(
      v.string(),
      v.transform((text) => text.replaceAll("\r\n", "\n")),
      v.maxLength(2000, "is too long"),
      v.transform((text) => (text === "" ? null : text)),
    ),
  }),
  v.forward(
    v.check((form) => Number(form.warning_m) > Number(form.alert_m), "must lie above the alert level"),
    ["warning_m"],
  ),
);
type StationForm = v.InferOutput<typeof stationForm>;

const columns = [
  "name",
  "river_id",
  "region_id",
  "grid_reference",
  "status",
  "alert_m",
  "warning_m",
  "telemetry",
  "installed_on",
  "notes",
] as const;

type StationRow = Readonly<Record<(typeof columns)[number], string | null>> & { readonly code: string };

const selected = `code, ${columns.map((name) => `${name}::text`).join(", ")}`;

const mayOpen = (person: Person): boolean =>
  person.roles.some((role) => role === "hydrologist" || role === "technician");

const statuses = ["planned", "live", "suspended", "retired"];

/** The row's texts and the form's, of the fields that differ. */
function changesOf(
  row: StationRow,
  form: StationForm,
): { field: (typeof columns)[number]; old: string | null; new: string | null }[] {
  const text = (value: string | boolean | null): string | null => (value === null ? null : String(value));
  const same = (name: (typeof columns)[number], stored: string | null, given: string | null): boolean =>
    name.endsWith("_m") ? Number(stored) === Number(given) : stored === given;
  return columns.flatMap((field) => {
    const [stored, given] = [row[field], text(form[field])];
    return same(field, stored, given) ? [] : [{ field, old: stored, new: given }];
  });
}

/**
 * @param prepared whether statements have names, so that `pg` prepares them once a connection; most code does not name them
 */
export function byHand(pool: pg.Pool, sessionKey: string, person: Person, prepared: boolean): express.Express {
  const query = (name: string, text: string, values: readonly unknown[] = []): pg.QueryConfig => ({
    ...(prepared ? { name } : {}),
    text,
    values: [...values],
  });
  const app = express();
  app.disable("x-powered-by");
  app.set("view engine", "ejs");
  app.set("views", fileURLToPath(new URL("../../src/by-hand/views", import.meta.url)));
  app.enable("view cache");
  app.use(cookieSession({ name: "session", keys: [sessionKey], sameSite: "lax" }));
  app.use(express.urlencoded({ extended: false, limit: "1mb" }));

  // Stands for a sign-in: the first request gets a session with its token.
  app.use((request, _response, next) => {
    if (request.session && !request.session.csrf) {
      request.session.csrf = randomBytes(24).toString("base64url");
      request.session.person = person;
    }
    next();
  });

  const signedIn = (request: Request): Person | undefined => request.session?.person as Person | undefined;
  const hasToken = (request: Request): boolean => {
    const given = Buffer.from(String(request.body?.csrf ?? ""));
    const wanted = Buffer.from(String(request.session?.csrf ?? ""));
    return wanted.length > 0 && given.length === wanted.length && timingSafeEqual(given, wanted);
  };

  const listsOf = () =>
    Promise.all([
      pool.query(query("rivers", "SELECT id::text, name FROM network.river ORDER BY name")),
      pool.query(query("regions", "SELECT id::text, name FROM network.region ORDER BY name")),
    ]);

  const show = (
    request: Request,
    response: Response,
    status: number,
    code: string,
    values: Readonly<Record<string, string | null>>,
    errors: Readonly<Record<string, string>>,
    [rivers, regions]: Awaited<ReturnType<typeof listsOf>>,
  ): void => {
    response.status(status).set({
      "cache-control": "no-store",
      "x-content-type-options": "nosniff",
      "content-security-policy": "default-src 'none'; style-src 'self'; form-action 'self'",
    });
    response.render("station", {
      code,
      values,
      errors,
      statuses,
      rivers: rivers.rows,
      regions: regions.rows,
      csrf: request.session?.csrf,
      person,
    });
  };

  app.get("/stations/:code/edit", async (request, response) => {
    const actor = signedIn(request);
    if (!actor) return response.redirect(303, "/sign-in");
    if (!mayOpen(actor)) return response.status(403).send("No access");
    const [{ rows }, lists] = await Promise.all([
      pool.query<StationRow>(
        query("open station", `SELECT ${selected} FROM network.station WHERE code = $1 AND ($2 OR region_id = $3)`, [
          request.params.code,
          actor.roles.includes("technician"),
          actor.regionId,
        ]),
      ),
      listsOf(),
    ]);
    const [row] = rows;
    if (!row) return response.status(404).send("No such station");
    return show(request, response, 200, row.code, row, {}, lists);
  });

  app.post("/stations/:code/edit", async (request, response) => {
    const actor = signedIn(request);
    if (!actor) return response.status(401).send("Signed out");
    if (!mayOpen(actor) || !hasToken(request)) return response.status(403).send("No access");
    const { code } = request.params;
    const parsed = v.safeParse(stationForm, request.body);
    if (!parsed.success) {
      const errors = Object.fromEntries(parsed.issues.map((issue) => [v.getDotPath(issue) ?? "", issue.message]));
      return show(request, response, 422, code, request.body, errors, await listsOf());
    }
    const client = await pool.connect();
    try {
      await client.query("BEGIN");
      const { rows } = await client.query<StationRow>(
        query(
          "lock station",
          `SELECT ${selected} FROM network.station WHERE code = $1 AND ($2 OR region_id = $3) AND status <> 'retired' FOR UPDATE`,
          [code, actor.roles.includes("technician"), actor.regionId],
        ),
      );
      const [row] = rows;
      if (!row) {
        await client.query("ROLLBACK");
        return response.status(404).send("No such station");
      }
      const changes = changesOf(row, parsed.output);
      if (changes.length > 0) {
        const sets = changes.map(({ field }, index) => `${field} = $${index + 2}`).join(", ");
        await client.query(
          query(
            `update station ${changes.map(({ field }) => field).join(" ")}`,
            `UPDATE network.station SET ${sets} WHERE code = $1`,
            [code, ...changes.map((change) => change.new)],
          ),
        );
        await client.query(
          query(
            "log station",
            `INSERT INTO office.change_by_hand (actor_id, actor_name, page, table_name, record_key, fields, request_id)
                 VALUES ($1, $2, 'station', 'network.station', $3, $4, $5)`,
            [actor.id, actor.name, JSON.stringify({ code }), JSON.stringify(changes), randomUUID()],
          ),
        );
      }
      await client.query("COMMIT");
    } catch (error) {
      await client.query("ROLLBACK");
      throw error;
    } finally {
      client.release();
    }
    return response.set("cache-control", "no-store").redirect(303, "/stations");
  });

  return app;
}
