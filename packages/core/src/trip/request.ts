import type { Actor } from "../condition/facts.js";
import type { Page } from "../page/page.js";
import type { Database } from "../postgres/statement.js";
import type { Frame } from "../views/frame.js";
import type { PageParts } from "../views/page-parts.js";
import type { OwnSteps } from "./own.js";
import type { Signer } from "./signer.js";

/** The headers of a request that speaks JSON. */
export interface ApiRequest {
  /** RFC 9110, 13.1.1 and 13.1.2. */
  readonly ifMatch: string | null;
  readonly ifNoneMatch: string | null;
  /** Whether `return=minimal` is preferred (RFC 7240, 4.2). */
  readonly minimal: boolean;
}

/** A file that a form sent (RFC 7578). */
export interface SentFile {
  readonly name: string;
  /** As the browser names it. */
  readonly type: string;
  /** In bytes. */
  readonly size: number;
  readonly bytes: Uint8Array;
  /** Its bytes in hexadecimal digits. */
  readonly hex: () => string;
  /** As text in UTF-8; null where it is none. */
  readonly text: () => string | null;
}

/** A request to a served page, as the runtime read it off HTTP. */
export interface PageRequest {
  /** UUID. */
  readonly id: string;
  readonly at: Date;
  readonly method: string;
  /** Below the mount, percent-encoded as it came, without the query. */
  readonly path: string;
  readonly query: Readonly<Record<string, string>>;
  /** The names of the query that came several times. */
  readonly repeated?: readonly string[];
  /** The trace that it is part of (W3C Trace Context, 3.2.2.3), where one is known. */
  readonly trace?: string;
  /** The body of a form submission as text, or why it could not be taken. */
  readonly body:
    | { readonly text: string; readonly files?: ReadonlyMap<string, SentFile> }
    /** `raw` as it was written, where it was not parsed before it came here. */
    | { readonly json: unknown; readonly raw?: string }
    | { readonly refused: "body-too-large" | "wrong-content-type" | "json-broken" | "cross-site" }
    | null;
  /** Where JSON is spoken instead of HTML: what its headers ask for. */
  readonly api?: ApiRequest | null;
  /** Whether the script of a page sent it, which shows the answer in place: then a save answers where it leads instead of leading there. */
  readonly inPlace?: boolean;
  readonly actor: Actor | null;
  /** The entries of the change log that it puts back, where it does. */
  readonly undoes?: readonly string[];
  /** The path of the view that it is a part of, where a line about it waits: its own where it is left out. */
  readonly saidAt?: string;
  /** What tells the ids of its form from those of others in one document. */
  readonly ids?: string;
  /** Whether values are taken as they are: not tidied, nothing made of others, no default in the place of null. */
  readonly asIs?: boolean;
  /** What a form is bound to besides its actor: changes with every sign-in. */
  readonly session: string;
  /** The signed line that an earlier answer left, from its cookie. */
  readonly said: string | null;
  /** Where a person who is not signed in is sent; null answers 401 instead. */
  readonly signIn: string | null;
  /** Whether that address takes a form that was refused for want of a sign-in, and brings it back (see `steps/answer.ts`). */
  readonly signInCarries: boolean;
  readonly frame: Frame;
}

/** An answer, ready to be sent. */
export interface PageResponse {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: string;
  /** What the body is made of, where it is a page: for an application that puts something else around it. */
  readonly page?: PageParts;
  /** What comes instead of a body, part by part: it is read to its end, or ended by `return`. */
  readonly parts?: AsyncIterable<string | Uint8Array>;
}

/** What the steps need of the world: handed in, so that the core has no clock, key or connection of its own. */
/** Whether somebody may export a list now: nobody two at once, and not too many together. */
export type ExportTurn = "free" | "export-of-yours" | "exports-of-others";

/** Long work, told of as it goes on, and given up where nobody waits for it any more. */
export interface Work {
  tell(phase: "reading" | "checking" | "saving", done: number, of: number): void;
  readonly isGivenUp: () => boolean;
}

export interface Dependencies {
  readonly database: Database;
  readonly signer: Signer;
  /** Milliseconds from any start, for the time a step takes. */
  readonly elapsed: () => number;
  /** Waits so many milliseconds. */
  readonly pause: (ms: number) => Promise<void>;
  /** The greatest age of a form that is taken, in milliseconds: an older one is shown again first. */
  readonly formAge: number;
  /** Takes a turn to export a list or to upload one, of a person by id; free where it is left out. */
  readonly exportTurn?: (person: string) => ExportTurn;
  /** Who waits for an upload. */
  readonly work?: Work;
  /** The developer's own steps of a page, where it has any. */
  readonly own?: (page: string) => OwnSteps | null;
  /** The pages that are served together, for what one shows of another. */
  readonly pages?: () => readonly Page[];
}
