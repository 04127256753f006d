import { hashSync, verifySync } from "@node-rs/argon2";

/** argon2id with OWASP's parameters: 19 MiB, 2 passes, 1 lane. */
const cost = { memoryCost: 19_456, timeCost: 2, parallelism: 1 } as const;

/** What the thread that hashes is asked: to hash a password, or to hold one against a hash. */
export interface Hashing {
  readonly password: string;
  /** In PHC string format; left out to make one. */
  readonly against?: string;
}

/** The thread in which passwords are hashed: it works as long as it must and takes no turn of anybody else's. */
export default ({ password, against }: Hashing): string | boolean =>
  against === undefined ? hashSync(password, cost) : verifySync(against, password);
