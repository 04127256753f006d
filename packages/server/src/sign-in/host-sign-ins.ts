import { randomUUID } from "node:crypto";
import { type Attribute, attributesFrom } from "@loyal-quill/core";
import type { Request } from "express";
import type { Keys } from "../keys.js";
import { impossibleAttribute } from "../store/accounts.js";
import type { Account } from "../store/entities.js";
import type { Store } from "../store/store.js";
import type { SignIns } from "./sign-ins.js";

/** Somebody who is signed in to the application that the workbench is mounted in. */
export interface HostPerson {
  /** Never somebody else's, and never changed. */
  readonly id: string;
  readonly name: string;
  readonly email: string;
  /** Those of the workbench (`builder`, `administrator`, `auditor`), and those that page files ask for. */
  readonly roles: readonly string[];
  readonly attributes?: Readonly<Record<string, Attribute>>;
}

/** Somebody as the application has handed them in. @throws where something of them is missing: an account can't be made of it */
function whole(person: HostPerson): HostPerson {
  const { id, name, email, roles } = person as Partial<HostPerson>;
  for (const [what, value] of Object.entries({ id, name, email }))
    if (typeof value !== "string" || value === "")
      throw new Error(`The option person of createWorkbench handed in somebody without ${what}, a text.`);
  if (!Array.isArray(roles) || roles.some((role) => typeof role !== "string"))
    throw new Error("The option person of createWorkbench handed in somebody without roles, a list of texts.");
  const impossible = impossibleAttribute(person.attributes ?? {});
  if (impossible !== undefined)
    throw new Error(
      `The option person of createWorkbench handed in somebody with an attribute that can't be called "${impossible}": every JavaScript object has a member of that name.`,
    );
  return { ...person, attributes: attributesFrom(person.attributes ?? {}) };
}

/** What stands for the application among those with whom people sign in. */
const issuer = "urn:loyal-quill:host";

/**
 * People as another application knows them. Each has an account in the store, made when they first come and brought up to date whenever they are
 * somebody else there: by it drafts, versions and the trail say who it was.
 */
export class HostSignIns implements SignIns {
  readonly accountsHere = false;
  private readonly found = new WeakMap<Request, Promise<Account | null>>();
  /** What was last seen of each, so that nobody's account is written at each request. */
  private readonly seen = new Map<string, string>();
  /** What is under way for each. */
  private readonly turns = new Map<string, Promise<void>>();
  /** What the token of a request is bound to. */
  private readonly marks = new WeakMap<Request, string>();

  constructor(
    private readonly store: Store,
    private readonly keys: Keys,
    private readonly personOf: (
      request: Request,
    ) => HostPerson | null | undefined | Promise<HostPerson | null | undefined>,
  ) {}

  account(request: Request): Promise<Account | null> {
    const known = this.found.get(request);
    if (known) return known;
    const asked = this.ask(request);
    this.found.set(request, asked);
    return asked;
  }

  /** The application is asked for each; the store once for each person. */
  async accountsNow(requests: readonly Request[]): Promise<readonly (Account | null | undefined)[]> {
    const personOf = async (request: Request) => {
      const person = await this.personOf(request);
      return person ? whole(person) : null;
    };
    const persons = await Promise.allSettled(requests.map(personOf));
    const asked = new Map<string, Promise<Account | null>>();
    const accounts = persons.map((person) => {
      if (person.status === "rejected") return undefined;
      if (!person.value) return null;
      const mark = JSON.stringify(person.value);
      const asking = asked.get(mark) ?? this.accountOf(person.value);
      asked.set(mark, asking);
      return asking.then((account) => (account?.active ? account : null)).catch(() => undefined);
    });
    return Promise.all(accounts);
  }

  /** Bound to the person: a page of another site can't read it, and the cookies of the application alone are not enough. */
  csrfToken(request: Request): string {
    return this.keys.sign("requests", this.marks.get(request) ?? "");
  }

  hasCsrfToken(request: Request, token: unknown): boolean {
    const mark = this.marks.get(request);
    return mark !== undefined && this.keys.isSigned("requests", mark, token);
  }

  /** The application's own, of which nothing is known here. */
  async of(): Promise<readonly []> {
    return [];
  }

  private async ask(request: Request): Promise<Account | null> {
    const person = await this.personOf(request);
    if (!person) return null;
    this.marks.set(request, `csrf of ${whole(person).id}`);
    const account = await this.accountOf(person);
    return account?.active ? account : null;
  }

  /**
   * The account of a person, made or brought up to date; one after the other, since a workbench that is opened asks several things at once.
   *
   * @throws where another account has the address
   */
  accountOf(person: HostPerson): Promise<Account | null> {
    const asked = (this.turns.get(person.id) ?? Promise.resolve()).then(() => this.accountNowOf(person));
    const turn = asked.then(
      () => {},
      () => {},
    );
    this.turns.set(person.id, turn);
    void turn.then(() => {
      if (this.turns.get(person.id) === turn) this.turns.delete(person.id);
    });
    return asked;
  }

  private async accountNowOf(person: HostPerson): Promise<Account | null> {
    const { id: subject, name, email, roles, attributes } = whole(person);
    const told = { name, email: email.toLowerCase(), roles: [...roles], attributes: { ...attributes } };
    const mark = JSON.stringify(told);
    const known = await this.store.accounts.bySubject(issuer, subject);
    if (known && this.seen.get(subject) === mark) return known;
    const other = await this.store.accounts.byEmail(told.email);
    if (other && other.id !== known?.id)
      throw new Error(
        `The e-mail address of person ${subject} of this application belongs to another account of the store: give one of them another address.`,
      );
    if (known) await this.store.accounts.change(known.id, told);
    // Another process may have made it at the same moment.
    else
      await this.store.accounts.make({
        ...told,
        id: randomUUID(),
        passwordHash: null,
        active: true,
        issuer,
        subject,
      });
    this.seen.set(subject, mark);
    return this.store.accounts.bySubject(issuer, subject);
  }
}
