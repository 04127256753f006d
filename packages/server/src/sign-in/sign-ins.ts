import type { Request } from "express";
import type { Account } from "../store/entities.js";

/** A session of an account, as its person sees it. */
export interface SessionSummary {
  /** Stands for it; of the session's own id nothing is told. */
  readonly id: string;
  readonly since: Date;
  readonly used: Date;
  readonly address: string;
  readonly agent: string;
}

/** Who is signed in, as the workbench asks: by the sessions of this application itself, or by those of an application that it is mounted in. */
export interface SignIns {
  /** The account of a request; null where nobody is signed in, or something must be done first. */
  account(request: Request): Promise<Account | null>;
  /**
   * The same of many requests, asked anew and together: who is still signed in during a long answer. Undefined where it can't be told of one.
   *
   * @throws where it can't be told of any
   */
  accountsNow(requests: readonly Request[]): Promise<readonly (Account | null | undefined)[]>;
  /** A token against forged requests. */
  csrfToken(request: Request): string;
  hasCsrfToken(request: Request, token: unknown): boolean;
  /** Whether accounts are looked after here. */
  readonly accountsHere: boolean;
  /** The sessions of an account, where they are known here. */
  of(accountId: string): Promise<readonly SessionSummary[]>;
}
