import type { Language } from "../messages/messages.js";

/** A page that the person may open, for a navigation. */
export interface PageLink {
  /** The name of its file. */
  readonly name: string;
  /** What its list is called. */
  readonly title: string;
  readonly href: string;
  readonly isCurrent: boolean;
}

/** What stands around every served page: handed in by the application that serves it. */
export interface Frame {
  /** Where the pages are mounted: empty, or a path like `/records`. */
  readonly base: string;
  /** The application's name, in the header. */
  readonly application: string;
  /** Where the header's name leads. */
  readonly home: string;
  readonly language: Language;
  /** Who is signed in, and where they look after their account, if anywhere. */
  readonly person: { readonly name: string; readonly account?: string } | null;
  /** A form in the header that signs the person out. */
  readonly signOut: { readonly action: string; readonly token: string } | null;
  /** The pages that the person may open, for the way from one to the other; a few of many. */
  readonly pages?: () => { readonly links: readonly PageLink[]; readonly more: boolean };
  /** The addresses of the style sheets, in their order. */
  readonly styleSheets: readonly string[];
  /** The address of the script that makes choices more pleasant; null for pages without any script. */
  readonly script: string | null;
  /** Where somebody who may look after the pages does so, if they are served beside it. */
  readonly workbench?: string;
  /** The request's number, on pages that tell of something that went otherwise: by it developers find it. */
  readonly number?: string;
}
