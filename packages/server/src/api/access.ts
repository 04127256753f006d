import type { Request, RequestHandler } from "express";
import { type Account, type OwnRole, ownRoles } from "../store/entities.js";
import { problem } from "./problem.js";

/** Whether an account has one of these roles of the application itself. */
export const hasRole = ({ roles }: { readonly roles: readonly string[] }, ...wanted: readonly OwnRole[]): boolean =>
  wanted.some((role) => roles.includes(role));

/** Whether anything of the workbench is open to an account. */
export const isAtWorkbench = (account: { readonly roles: readonly string[] }): boolean =>
  hasRole(account, ...(Object.keys(ownRoles) as OwnRole[]));

/** Lets on whoever has one of the roles. */
export const only =
  (account: (request: Request) => Promise<Account | null>, ...wanted: readonly OwnRole[]): RequestHandler =>
  async (request, response, next) => {
    const found = await account(request);
    if (found && hasRole(found, ...wanted)) return next();
    problem(response, 403, "Not open to you", `This is open to accounts with the role ${wanted.join(" or ")}.`);
  };
