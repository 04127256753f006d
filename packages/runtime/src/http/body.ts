import type { PageRequest, SentFile } from "@loyal-quill/core";
import busboy from "busboy";
import type { Request } from "express";

/** The largest body that is read, in bytes. */
const mostBytes = 1_048_576;

const decoder = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true });

/** Bytes that are not UTF-8 become what the read step refuses. */
function decoded(bytes: Uint8Array): { text: string } {
  try {
    return { text: decoder.decode(bytes) };
  } catch {
    return { text: "%FF" };
  }
}

/** Parsers of Express 4 leave an object without anything in it beside a body that they have not read. */
const isNothing = (parsed: unknown): boolean =>
  parsed === undefined || (typeof parsed === "object" && parsed !== null && Object.keys(parsed).length === 0);

/** Whether the application around the pages has read the body already. */
export const isRead = (request: Request): boolean =>
  request.readableDidRead || request.readableEnded || !isNothing(request.body);

/** Leaves what was read of a request for whoever answers it in our place. */
export function leave(request: Request, body: PageRequest["body"]): void {
  if (body && "text" in body && isNothing(request.body)) request.body = Buffer.from(body.text);
}

/** A value that a parser has made of names with brackets, under the names that it was sent by. */
const pairsIn = (name: string, value: unknown): [string, string][] => {
  if (typeof value === "string") return [[name, value]];
  if (Array.isArray(value)) return value.flatMap((each) => pairsIn(name, each));
  if (typeof value !== "object" || value === null) return [];
  return Object.entries(value).flatMap(([inner, each]) => pairsIn(`${name}[${inner}]`, each));
};

/** A body that the application around the pages has read already: written again as it came, as far as it can be told. */
function written(parsed: unknown): PageRequest["body"] {
  if (Buffer.isBuffer(parsed)) return decoded(parsed);
  if (typeof parsed === "string") return { text: parsed };
  if (typeof parsed !== "object" || parsed === null) return { refused: "wrong-content-type" };
  const pairs = Object.entries(parsed).flatMap(([name, value]) => pairsIn(name, value));
  return { text: new URLSearchParams(pairs).toString() };
}

/** JSON, or a JSON Merge Patch (RFC 7396). */
export const isJson = (request: Request): boolean =>
  /^application\/(json|merge-patch\+json)\s*(;|$)/i.test(request.headers["content-type"] ?? "") &&
  (request.headers["content-encoding"] ?? "identity") === "identity";

const isForm = (request: Request): boolean =>
  /^application\/x-www-form-urlencoded\s*(;|$)/i.test(request.headers["content-type"] ?? "") &&
  (request.headers["content-encoding"] ?? "identity") === "identity";

/**
 * The body of a form submission as text, or what was sent as JSON, up to 1 MiB, or why it could not be taken; null for a method that has none.
 *
 * A form is read off the wire as it is: pairs that came twice or in a wrong encoding are for the read step to refuse, and a
 * parser between would already have mended them.
 */
export function readBody(
  request: Request,
  takesFiles = false,
  mostOfTexts = mostBytes,
  keepsFiles = true,
): Promise<PageRequest["body"]> | PageRequest["body"] {
  if (request.method === "PATCH" && !isJson(request)) return { refused: "wrong-content-type" };
  if (request.method !== "POST" && request.method !== "PATCH") return null;
  if (isJson(request)) return readJsonBody(request);
  if (takesFiles && isMultipart(request) && !isRead(request)) return readParts(request, mostOfTexts, keepsFiles);
  if (!isForm(request)) return { refused: "wrong-content-type" };
  return isRead(request) ? written(request.body) : readBytes(request);
}

/** Whether a form was sent in parts. */
export const isMultipart = (request: Request): boolean =>
  /^multipart\/form-data\s*;/i.test(request.headers["content-type"] ?? "");

/** The most that is read of all files of a form together, in bytes; a page's own rule may say less. */
export const mostFileBytes = 16_777_216;

const sentFile = (name: string, type: string, bytes: Buffer): SentFile => ({
  name,
  type,
  size: bytes.length,
  bytes,
  hex: () => bytes.toString("hex"),
  text: () => {
    try {
      return decoder.decode(bytes);
    } catch {
      return null;
    }
  },
});

/** A form that was sent in parts (RFC 7578): its texts as those of any form, together no longer than one may be, and its files; of those that are not to be kept, the names. */
function readParts(request: Request, mostOfTexts: number, keepsFiles: boolean): Promise<PageRequest["body"]> {
  return new Promise((resolve) => {
    const pairs: [string, string][] = [];
    const files = new Map<string, SentFile>();
    let isTooLarge = false;
    let total = 0;
    let texts = 0;
    const tooLarge = (): void => {
      isTooLarge = true;
    };
    const refuse = (): void => resolve({ refused: "wrong-content-type" });
    let parser: ReturnType<typeof busboy>;
    try {
      parser = busboy({
        headers: request.headers,
        defParamCharset: "utf8",
        limits: { fieldSize: mostOfTexts, fields: 2000, files: 50, fileSize: mostFileBytes },
      });
    } catch {
      refuse();
      return;
    }
    let isBroken = false;
    // What is written in another way than it is (RFC 7578, 4.7, which does away with that) would be taken for what it is not.
    const judge = (encoding: string): void => {
      isBroken ||= !["7bit", "8bit", "binary"].includes(encoding);
    };
    parser.on("field", (name, value, { valueTruncated, encoding }) => {
      judge(encoding);
      texts += Buffer.byteLength(name) + Buffer.byteLength(value);
      if (valueTruncated || texts > mostOfTexts) tooLarge();
      else pairs.push([name, value]);
    });
    parser.on("file", (name, stream, { filename, mimeType, encoding }) => {
      judge(encoding);
      if (!keepsFiles) {
        if (filename) files.set(name, sentFile(filename, mimeType, Buffer.alloc(0)));
        stream.resume();
        return;
      }
      const parts: Buffer[] = [];
      stream.on("data", (part: Buffer) => {
        total += part.length;
        // What is too much is read to its end, so that the answer can be given, and not kept.
        if (total <= mostFileBytes) parts.push(part);
        else tooLarge();
      });
      stream.on("limit", tooLarge);
      stream.on("end", () => {
        const bytes = Buffer.concat(parts);
        // A control in which nothing was chosen sends a part without a name (HTML, 4.10.21.4), and nothing in it.
        if (!filename && bytes.length === 0) return;
        // What is in a part without one is no file and no text, and of two files of a control one would be lost.
        if (!filename || files.has(name)) isBroken = true;
        else files.set(name, sentFile(filename, mimeType, bytes));
      });
    });
    parser.on("fieldsLimit", tooLarge);
    parser.on("filesLimit", tooLarge);
    parser.on("error", refuse);
    parser.on("close", () =>
      isBroken
        ? refuse()
        : resolve(isTooLarge ? { refused: "body-too-large" } : { text: new URLSearchParams(pairs).toString(), files }),
    );
    request.on("error", refuse);
    request.pipe(parser);
  });
}

/** What was sent as JSON: parsed by the application around the pages, or here. */
async function readJsonBody(request: Request): Promise<PageRequest["body"]> {
  const { body } = request as { readonly body?: unknown };
  if (isRead(request) && !Buffer.isBuffer(body) && typeof body !== "string") return { json: body };
  const read =
    typeof body === "string" ? { text: body } : Buffer.isBuffer(body) ? decoded(body) : await readBytes(request);
  if ("refused" in read) return read;
  try {
    const json = JSON.parse(read.text, (name, value: unknown) => {
      // Half a surrogate pair is no UTF-8 (RFC 3629, 3): PostgreSQL would store something else in its place.
      if (isHalf(name) || (typeof value === "string" && isHalf(value))) throw new SyntaxError("half a character");
      return value;
    }) as unknown;
    return { json, raw: read.text };
  } catch {
    return { refused: "json-broken" };
  }
}

type Read = { readonly text: string } | { readonly refused: "body-too-large" | "wrong-content-type" };

function readBytes(request: Request): Promise<Read> | Read {
  if (Number(request.headers["content-length"] ?? 0) > mostBytes) return { refused: "body-too-large" };
  return new Promise((resolve) => {
    const parts: Buffer[] = [];
    let size = 0;
    request.on("data", (part: Buffer) => {
      size += part.length;
      if (size <= mostBytes) parts.push(part);
    });
    request.on("end", () => {
      if (size > mostBytes) resolve({ refused: "body-too-large" });
      else resolve(decoded(parts.length === 1 && parts[0] ? parts[0] : Buffer.concat(parts)));
    });
    // Nobody is there any more to be answered; what is half a form is no form.
    request.on("error", () => resolve({ refused: "wrong-content-type" }));
  });
}

const isHalf = (text: string): boolean => /\p{Surrogate}/u.test(text);
