import { html, languages, Markup, type PageLink, type PageParts } from "@loyal-quill/core";
import type express from "express";

/**
 * What a layout is made of. `head`, `heading`, `notice` and `content` are HTML: in a template made with `html` they go in as they are, where everything else is
 * escaped; in any other they have to be put in unescaped, and everything else escaped. `title` is text.
 */
export interface LayoutParts {
  readonly title: string;
  readonly language: string;
  readonly direction: "ltr" | "rtl";
  /** Belongs into the document's head: the pages' style sheet and script. Empty where there is neither. */
  readonly head: Markup;
  /** The way back and the heading of level 1. A layout may do without it and have a heading of its own. */
  readonly heading: Markup;
  /** What was done, or what is wrong; an element without content where there is nothing to say. */
  readonly notice: Markup;
  readonly content: Markup;
  /** The name of the page file; null where the address belongs to none that can be served. */
  readonly page: string | null;
  readonly status: number;
  /** The pages that the person may open. */
  readonly pages: readonly PageLink[];
  /** Of the application's own Content-Security-Policy, where it has one. */
  readonly nonce: string | null;
}

/** A form in pieces. Every piece is HTML; each must be put somewhere, once. */
export interface FormParts {
  /** The name of the page file. */
  readonly page: string;
  readonly kind: "edit" | "new";
  readonly title: string;
  /** The columns that have a field here, in the page file's order. */
  readonly names: readonly string[];
  /** A field with all that belongs to it. @throws where the page has no such field, or it was put somewhere already */
  field(name: string): Markup;
  /** All fields that were not put anywhere yet, and the reason where the page asks for one. */
  rest(): Markup;
  /** The buttons, and the ways out. */
  actions(): Markup;
}

/** HTML: made with `html`, or as a string in which whoever made it has escaped what is not. */
export type Written = string | Markup;

/** A function, or a view of the application's own engine (Express, `app.engine`), which gets the parts as its locals. */
export type Layout =
  | string
  | ((parts: LayoutParts, request: express.Request, response: express.Response) => Written | Promise<Written>);

/** The same for the inside of a page's form; a view gets the form as `form`. */
export type FormTemplate = string | ((form: FormParts, request: express.Request) => Written | Promise<Written>);

/** A layout or a template that left something out, or asked for what there is not: the developer's to mend. */
export class LayoutError extends Error {
  override readonly name = "LayoutError";
}

/** Renders a view with the application's engine. */
const rendered = (response: express.Response, view: string, locals: object): Promise<string> =>
  new Promise((resolve, reject) =>
    response.render(view, locals, (error: Error | null, text: string) => (error ? reject(error) : resolve(text))),
  );

/** Remembers which pieces of a form were put somewhere. */
class Pieces implements FormParts {
  readonly page;
  readonly kind;
  readonly title;
  readonly names;
  private readonly left: Set<string>;
  private reasonLeft;
  private actionsLeft = true;

  constructor(
    page: string,
    title: string,
    private readonly pieces: NonNullable<PageParts["form"]>,
  ) {
    this.page = page;
    this.kind = pieces.kind;
    this.title = title;
    this.names = pieces.fields.map(({ name }) => name);
    this.left = new Set(this.names);
    this.reasonLeft = pieces.reason !== null;
    // A template may take them apart from the form.
    this.field = this.field.bind(this);
    this.rest = this.rest.bind(this);
    this.actions = this.actions.bind(this);
  }

  field(name: string): Markup {
    const found = this.pieces.fields.find((each) => each.name === name);
    if (!found)
      throw new LayoutError(
        `The form of ${this.page} has no field "${name}" here. It has: ${this.names.join(", ")}. A field may be missing for a new record, or by its own condition: ask form.names first.`,
      );
    if (!this.left.delete(name))
      throw new LayoutError(`The field "${name}" of ${this.page} was put into the form twice.`);
    return found.block;
  }

  rest(): Markup {
    const fields = this.pieces.fields.filter(({ name }) => this.left.has(name)).map(({ block }) => block);
    this.left.clear();
    this.reasonLeft = false;
    return html`${fields}${this.pieces.reason}`;
  }

  actions(): Markup {
    this.actionsLeft = false;
    return this.pieces.actions;
  }

  /** @throws LayoutError where something was forgotten: what is not sent would be taken for emptied, or could not be sent at all */
  judge(): void {
    const forgotten = [
      ...[...this.left].map((name) => `form.field("${name}")`),
      ...(this.left.size === 0 && this.reasonLeft ? ["form.rest(), which has the reason that the page asks for"] : []),
      ...(this.actionsLeft ? ["form.actions()"] : []),
    ];
    if (forgotten.length > 0)
      throw new LayoutError(
        `The template of the form of ${this.page} forgot ${forgotten.join(", ")}. form.rest() puts all fields that are left.`,
      );
  }
}

/** What a page is made of, and for whom. */
export interface Around {
  readonly page: string | null;
  readonly status: number;
  readonly pages: readonly PageLink[];
  readonly nonce: string | null;
  readonly styleSheets: readonly string[];
  readonly script: string | null;
}

/** What templates and layouts are given of Express. */
interface Asked {
  readonly request: express.Request;
  readonly response: express.Response;
}

/** The content with the inside of its form by the application's own template, if it has one for this page. */
export async function contentBy(
  template: FormTemplate | undefined,
  parts: PageParts,
  page: string | null,
  { request, response }: Asked,
): Promise<Markup> {
  if (template === undefined || !parts.form || page === null) return parts.content;
  const form = new Pieces(page, parts.title, parts.form);
  const inside =
    typeof template === "string" ? await rendered(response, template, { form }) : await template(form, request);
  form.judge();
  return parts.form.around(new Markup(String(inside)));
}

const wrapped = (part: Markup): Markup => html`<div class="quill" data-quill>${part}</div>`;

/** The whole document by the application's own layout. @throws LayoutError where the layout left something out */
export async function documentBy(
  layout: Layout,
  parts: PageParts,
  around: Around,
  { request, response }: Asked,
): Promise<string> {
  const { page, status, pages, nonce, styleSheets, script } = around;
  const given = nonce === null ? null : html` nonce="${nonce}"`;
  const head = html`${styleSheets.map((address) => html`<link rel="stylesheet" href="${address}"${given}>`)}${parts.scripted && script !== null && html`<script src="${script}" type="module"${given}></script>`}`;
  const layoutParts: LayoutParts = {
    title: parts.title,
    language: parts.language,
    direction: languages[parts.language].direction,
    head,
    heading: wrapped(parts.heading),
    // Always there, so that the script can put what is said next in its place.
    notice: wrapped(parts.notice),
    content: wrapped(parts.content),
    page,
    status,
    pages,
    nonce,
  };
  const document = String(
    typeof layout === "string"
      ? // Engines know texts, each with a tag of its own for what is not to be escaped.
        await rendered(response, layout, {
          ...layoutParts,
          head: head.text,
          heading: layoutParts.heading.text,
          notice: layoutParts.notice.text,
          content: layoutParts.content.text,
        })
      : await layout(layoutParts, request, response),
  );
  for (const name of ["head", "notice", "content"] as const)
    if (!document.includes(layoutParts[name].text))
      throw new LayoutError(
        `The layout left out "${name}", or escaped it: put it into the document as HTML${name === "notice" ? ", where people see at once what became of what they did" : ""}.`,
      );
  return document;
}
