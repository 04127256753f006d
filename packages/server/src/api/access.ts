import { findTable, parsePage, tableName } from "@loyal-quill/core";
import express, { type Request, type RequestHandler } from "express";
import { DeskRefusal } from "../drafts/desk-refusal.js";
import type { EditedDatabase } from "../edited-database.js";
import type { Account, OwnRole } from "../store/entities.js";
import { isServed } from "./database.js";
import { problem } from "./problem.js";

/** Whether an account has one of these roles of the application itself. */
export const hasRole = ({ roles }: { readonly roles: readonly string[] }, ...wanted: readonly OwnRole[]): boolean =>
  wanted.some((role) => roles.includes(role));

/** The roles that have a part of the workbench. */
export const everyRole: readonly OwnRole[] = ["builder", "administrator", "auditor"];

/** Whether anything of the workbench is open to an account. */
export const isAtWorkbench = (account: { readonly roles: readonly string[] }): boolean =>
  hasRole(account, ...everyRole);

/**
 * Whether somebody may look at a table by a page of it: whoever makes pages, where one is served already; and a steward, where none is.
 *
 * @param name of the table, as a page file names it
 * @throws DeskRefusal
 */
export function mayLookAt({ pages }: Pick<EditedDatabase, "pages">, account: Account | null, name: string): void {
  const loaded = pages.loaded();
  const table = findTable(loaded.catalog.tables, name);
  if (!table || isServed(loaded, table)) return;
  if (account && hasRole(account, "steward")) return;
  throw new DeskRefusal(
    "No page serves this table yet",
    `Its rows are open to nobody so far. Whoever makes the first page of ${tableName(table)} needs the role steward beside builder.`,
    403,
  );
}

/** The same by the text of a page file. What is none is told by whoever reads it: nothing is looked at. @throws DeskRefusal */
export function mayTry(of: Pick<EditedDatabase, "pages">, account: Account | null, text: string): void {
  const parsed = parsePage(text);
  if (parsed.ok) mayLookAt(of, account, parsed.page.file.record.table);
}

type Method = "get" | "post" | "put" | "delete";
/** The names of a path's parameters. */
type Names<Path extends string> = Path extends `${string}:${infer Name}/${infer Rest}`
  ? Name | Names<Rest>
  : Path extends `${string}:${infer Name}`
    ? Name
    : never;
type Handler<Path extends string> = RequestHandler<Record<Names<Path>, string>>;

/** A route of the workbench's API. */
export interface GuardedRoute {
  readonly method: Uppercase<Method>;
  readonly path: string;
  /** Whoever has one of these roles may use it. */
  readonly roles: readonly OwnRole[];
}

/**
 * Routes that name who may use them. Rights are decided where a route has matched, by what it says itself: however an address is written, what
 * answers it is what was asked for leave.
 */
export class GuardedRoutes {
  readonly router = express.Router({ caseSensitive: true });
  private readonly known: GuardedRoute[] = [];

  /** @param account who asks; null for nobody */
  constructor(private readonly account: (request: Request) => Promise<Account | null>) {}

  /** All of them, those of the parts included. */
  get all(): readonly GuardedRoute[] {
    return this.known;
  }

  get<Path extends string>(roles: readonly OwnRole[], path: Path, ...handlers: readonly Handler<Path>[]): void {
    this.add("get", roles, path, handlers as readonly RequestHandler[]);
  }

  post<Path extends string>(roles: readonly OwnRole[], path: Path, ...handlers: readonly Handler<Path>[]): void {
    this.add("post", roles, path, handlers as readonly RequestHandler[]);
  }

  put<Path extends string>(roles: readonly OwnRole[], path: Path, ...handlers: readonly Handler<Path>[]): void {
    this.add("put", roles, path, handlers as readonly RequestHandler[]);
  }

  delete<Path extends string>(roles: readonly OwnRole[], path: Path, ...handlers: readonly Handler<Path>[]): void {
    this.add("delete", roles, path, handlers as readonly RequestHandler[]);
  }

  /** Further routes below a path, each with its own roles. */
  part(below: string, routes: GuardedRoutes): void {
    this.router.use(below, routes.router);
    for (const { path, ...route } of routes.all)
      this.known.push({ ...route, path: path === "/" ? below : `${below}${path}` });
  }

  /** @throws where nobody is named: nothing is open by default */
  private add(method: Method, roles: readonly OwnRole[], path: string, handlers: readonly RequestHandler[]): void {
    if (roles.length === 0) throw new Error(`The route ${method.toUpperCase()} ${path} does not name who may use it.`);
    this.known.push({ method: method.toUpperCase() as Uppercase<Method>, path, roles });
    this.router[method](path, this.only(roles), ...handlers);
  }

  /** Lets on whoever has one of the roles. */
  private only(roles: readonly OwnRole[]): RequestHandler {
    return async (request, response, next) => {
      const found = await this.account(request);
      if (!found) return problem(response, 401, "Signed out", "Sign in to use the workbench.");
      if (hasRole(found, ...roles)) return next();
      problem(response, 403, "No access", `This is open to accounts with the role ${roles.join(" or ")}.`);
    };
  }
}
