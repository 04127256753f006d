import { type Database, placesOf, type Signer, signerThatMade } from "@loyal-quill/core";
import type express from "express";
import { connect, databaseOver } from "./database/database.js";
import { Replicas, unknownPosition } from "./database/replicas.js";
import { cookie } from "./http/requests.js";
import type { PagesOptions } from "./options.js";
import { tell } from "./own/tell.js";

/** A server's address, without user and password. */
const shownPlace = (url: string): string =>
  placesOf(url)
    .hosts.map(({ host, port }) => `${host}:${port}`)
    .join(",");

/** Connects to the standbys of the options, if there are any. They are asked how far they are before anything is read there. */
export function openReplicas(
  primary: Database,
  { replicas = [], poolSize, replicaLag, onReplica }: PagesOptions,
  onError: (error: unknown) => void,
): Replicas | null {
  if (replicas.length === 0) return null;
  const given = replicas.map((url) => {
    const pool = connect(url, poolSize);
    return { place: shownPlace(url), database: databaseOver(pool), end: () => pool.end() };
  });
  const opened = new Replicas(primary, given, {
    ...(replicaLag === undefined ? {} : { mostBehind: replicaLag }),
    ...(onReplica ? { onChange: (report) => tell(() => onReplica(report), onError) } : {}),
  });
  void opened.look();
  return opened;
}

/** The cookie (RFC 6265) that says how far the primary was when its browser last saved. */
const seenCookie = "quill_seen";
const seenText = (position: string): string => `seen ${position}`;

/** So long it is kept at least, in milliseconds. */
const keptFor = 120_000;

/** How far the primary was when somebody last saved, signed, in a cookie of theirs: so that it holds on every machine. */
export class Seen {
  /** @param mostBehind a standby that is further behind is not read from, in milliseconds: a cookie that is older says nothing any more */
  constructor(
    private readonly signer: Signer,
    private readonly mostBehind = 0,
  ) {}

  /** @param position null where it could not be asked: then the primary is read until the cookie ends */
  note(request: express.Request, response: express.Response, position: string | null): void {
    const told = position ?? unknownPosition;
    const secure = request.secure ? "; Secure" : "";
    response.append(
      "set-cookie",
      `${seenCookie}=${told}.${this.signer.sign(seenText(told))}; Path=${request.baseUrl || "/"}; Max-Age=${Math.ceil(Math.max(keptFor, 2 * this.mostBehind) / 1000)}; HttpOnly; SameSite=Lax${secure}`,
    );
  }

  /** Null where somebody has not saved lately, or says so unsigned. */
  of(request: express.Request): string | null {
    const [position = "", signature = ""] = (cookie(request, seenCookie) ?? "").split(".");
    const isSigned = signerThatMade(this.signer, signature, seenText(position)) !== undefined;
    return isSigned ? position : null;
  }
}
