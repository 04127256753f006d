import type express from "express";

/** A field of a form, as data. */
export interface FieldInView {
  /** The column, and the name of its control in the form. */
  readonly name: string;
  readonly control: string;
  readonly label: string;
  readonly help: string | null;
  readonly unit: string | null;
  /** The kind of its control: `text`, `number`, `choice` … */
  readonly kind: string;
  /** The name of the hidden control, with any value, that says that a check box was there; null for other kinds. */
  readonly box: string | null;
  /** What the control holds: what is stored, or what was typed and refused. */
  readonly value: string;
  /** What is stored, as people read it; null where nothing is. */
  readonly stored: string | null;
  readonly choices: readonly { readonly value: string; readonly label: string }[];
  readonly isNeeded: boolean;
  /** Whether the form takes it; otherwise it is shown only. */
  readonly isTaken: boolean;
  readonly problems: readonly string[];
}

/** A form for a view of the application's own. */
export interface FormInView {
  /** What is said of it, and the prefilled form with its token, in an element with the class `quill`. It goes into a template unescaped. */
  readonly html: string;
  /** 200; 422, 409 or 503 where it was sent and came back; 403 and 404 where it can't be shown, which `html` says. */
  readonly status: number;
  readonly title: string;
  /** Where it is sent, by POST. */
  readonly action: string;
  /** For `quill.token`; null where nothing may be sent. */
  readonly token: string | null;
  readonly fields: readonly FieldInView[];
  /** What is wrong; at no field where `field` is null. */
  readonly problems: readonly { readonly field: string | null; readonly message: string }[];
  /** What was done, or why it can't be edited. */
  readonly notice: string | null;
}

/** Records of a page for a view of the application's own. */
export interface ListInView {
  /** A table with the ways to its records, all of them and a new one, in an element with the class `quill`. */
  readonly html: string;
  readonly status: number;
  readonly title: string;
  /** Where the whole list is. */
  readonly address: string;
  /** The records, as the list's JSON has them: address, key, whether they can be edited, values, and labels of references. */
  readonly rows: readonly {
    readonly address: string;
    readonly key: Readonly<Record<string, string>>;
    readonly editable: boolean;
    readonly values: Readonly<Record<string, unknown>>;
    readonly labels?: Readonly<Record<string, string | null>>;
  }[];
  /** Whether there are more than these. */
  readonly more: boolean;
}

/** Forms and lists of pages, for views of the application's own. They need the option `mount`. */
export interface PartsOfViews {
  /**
   * The form of a record, as HTML and as data; as many in one view as are wanted. A save leads back to the view, with its message at this form; refused, the
   * view is shown again with this form as it was typed.
   *
   * @param page the name of the page file
   * @param key the key's columns with their values; null for a new record
   * @param values what a new record begins with, by column
   * @throws where there is no such page, or `mount` is missing; never for what a person may not see, which the form says
   * @example const station = await pages.form(request, "station", { code: "MV-014" });
   */
  form(
    request: express.Request,
    page: string,
    key: Readonly<Record<string, string | number>> | null,
    values?: Readonly<Record<string, string | number>>,
  ): Promise<FormInView>;
  /**
   * Records of a page, as HTML and as data: the first part of its list.
   *
   * @param query as the address of its list has it
   * @throws as `form` does
   * @example const visits = await pages.list(request, "visit", { "is.station_code": "MV-014" });
   */
  list(request: express.Request, page: string, query?: Readonly<Record<string, string>>): Promise<ListInView>;
  /**
   * What belongs into the head of a document with such parts: the style sheet and the script.
   *
   * @param nonce of the document's own policy (CSP, 2.3.1)
   */
  head(nonce?: string): string;
}
