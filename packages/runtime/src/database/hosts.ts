import { Socket } from "node:net";
import { type ConnectionOptions, checkServerIdentity, type PeerCertificate } from "node:tls";
import { type Host, type Places, placesOf, type Wanted } from "@loyal-quill/core";
import pg from "pg";

/** How long a server is waited for while it is asked what it is, in milliseconds. */
const patience = 1500;

/** Whether a server is what is wanted, by whether it follows another one. */
const fits = (wanted: Wanted, follows: boolean): boolean =>
  wanted === "any" || wanted === "prefer-standby" || follows === (wanted === "standby" || wanted === "read-only");

/** Finds among several servers the one that is wanted, and remembers it until a connection to it breaks. */
class Hosts {
  private known: Promise<Host> | null = null;

  constructor(private readonly places: Places) {}

  /** @throws an `Error` where none of them is it */
  find(): Promise<Host> {
    if (!this.known) {
      const looking = this.look();
      this.known = looking;
      looking.catch(() => this.forget(looking));
    }
    return this.known;
  }

  /** A connection has broken: the next one is asked for anew. */
  forget(known: Promise<Host> | null = this.known): void {
    if (this.known === known) this.known = null;
  }

  private async look(): Promise<Host> {
    const { hosts, wanted } = this.places;
    const asked = hosts.map(async (each) => {
      const follows = await this.follows(each);
      if (!fits(wanted, follows)) throw new Error(`${each.host}:${each.port} is not ${wanted}`);
      if (wanted === "prefer-standby" && !follows) await new Promise((resolve) => setTimeout(resolve, patience / 5));
      return each;
    });
    return Promise.any(asked).catch((error: AggregateError) => {
      throw new Error(
        `none of ${hosts.length} servers is it: ${error.errors.map((each: Error) => each.message).join("; ")}`,
      );
    });
  }

  private async follows({ host, port }: Host): Promise<boolean> {
    const client = new pg.Client({
      connectionString: this.places.url,
      connectionTimeoutMillis: patience,
      query_timeout: patience,
    });
    // What stands in the string goes before options of `pg`.
    Object.assign(client, { host, port });
    client.on("error", () => {});
    try {
      await client.connect();
      const { rows } = await client.query<{ follows: boolean }>("SELECT pg_is_in_recovery() AS follows");
      return rows[0]?.follows ?? false;
    } finally {
      await client.end().catch(() => {});
    }
  }
}

/** A socket that leads to whichever server is wanted at the moment, wherever `pg` tells it to lead. */
class FindingSocket extends Socket {
  /** Which server it leads to. */
  private place = "";

  constructor(private readonly hosts: Hosts) {
    super();
    this.once("close", () => hosts.forget());
  }

  override connect(...given: unknown[]): this {
    if (typeof given[0] !== "number") return super.connect(...(given as Parameters<Socket["connect"]>));
    this.hosts.find().then(
      ({ host, port }) => {
        this.place = host;
        if (!this.destroyed) super.connect(port, host);
      },
      (error: Error) => this.destroy(error),
    );
    return this;
  }

  /** Holds the server's certificate against its own name: `pg` would take that of the first one. */
  readonly checkServerIdentity = (_first: string, certificate: PeerCertificate): Error | undefined =>
    checkServerIdentity(this.place, certificate);
}

/** What `pg` makes of a connection string, with how it is to be encrypted. */
interface Connecting {
  ssl?: boolean | ConnectionOptions;
}

/** A socket to whichever server is wanted, for a connection of `pg`. Where it asks for no check of the name (`sslmode=verify-ca`), there is none. */
function finding(hosts: Hosts, connecting: Connecting = {}): Socket {
  const socket = new FindingSocket(hosts);
  const { ssl } = connecting;
  if (ssl)
    connecting.ssl = { checkServerIdentity: socket.checkServerIdentity, ...(typeof ssl === "object" ? ssl : {}) };
  return socket;
}

/**
 * What `pg` needs for a connection string that may name several servers: to be spread into the options of a client or a pool.
 *
 * @throws UnreadableAddress where it can't be taken apart
 */
export function connectionTo(url: string): {
  connectionString: string;
  stream?: (connecting?: object) => Socket;
} {
  const places = placesOf(url);
  if (places.hosts.length === 1 && places.wanted === "any") return { connectionString: url };
  const hosts = new Hosts(places);
  return { connectionString: places.url, stream: (connecting) => finding(hosts, connecting) };
}
