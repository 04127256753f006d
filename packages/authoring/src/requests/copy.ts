import { queryText } from "@loyal-quill/core/settings/bound/path";
import { readPairs } from "@loyal-quill/core/steps/read-pairs";
import type { RecordedRequest } from "@loyal-quill/core/trip/recording";
import { stringify } from "yaml";

/** A recorded request in the forms in which other programs take one. What is not kept of it (cookies, passwords) has to be put in by hand. */

/** Headers that say something about a connection, or about the bytes on it, and nothing about the request. */
const ofConnection = /^(:version|host|connection|content-length|accept-encoding|cookie|keep-alive|transfer-encoding)$/;

const addressOf = ({ path, wire }: RecordedRequest, origin: string): string =>
  `${origin}${path}${queryText(wire?.query ?? {})}`;

/** A word for a POSIX shell (IEEE Std 1003.1, 2.2.2). */
const quotedWord = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;

/**
 * A command that sends it again; the session's cookie is taken from the environment variable `COOKIE`.
 *
 * @param origin scheme, host, port, and the path where the pages are mounted
 */
export function asCurl(recorded: RecordedRequest, origin: string): string {
  const { method, wire } = recorded;
  const headers = Object.entries(wire?.headers ?? {}).filter(([name]) => !ofConnection.test(name));
  const parts = [
    `curl --include --request ${method} ${quotedWord(addressOf(recorded, origin))}`,
    ...headers.map(([name, value]) => `--header ${quotedWord(`${name}: ${value}`)}`),
    `--header "cookie: $COOKIE"`,
    ...(wire?.body == null ? [] : [`--data-raw ${quotedWord(wire.body)}`]),
  ];
  return parts.join(" \\\n  ");
}

const listOf = (values: Readonly<Record<string, string>>): { name: string; value: string }[] =>
  Object.entries(values).flatMap(([name, value]) => (name.startsWith(":") ? [] : [{ name, value }]));

const bytes = (text: string): number =>
  encodeURIComponent(text.replaceAll(/\p{Surrogate}/gu, "?")).replaceAll(/%../g, "x").length;

/** Requests as an HTTP Archive, version 1.2. */
export function asHar(requests: readonly RecordedRequest[], origin: string): unknown {
  return {
    log: {
      version: "1.2",
      creator: { name: "Loyal Quill", version: "0.1.0" },
      entries: requests.map((recorded) => {
        const { at, ms, method, status, wire } = recorded;
        const httpVersion = `HTTP/${wire?.headers[":version"] ?? "1.1"}`;
        const type = wire?.headers["content-type"] ?? "application/x-www-form-urlencoded";
        const answered = wire?.answer.headers ?? {};
        const text = wire?.answer.body ?? "";
        const body = wire?.body ?? null;
        const pairs = body === null || !type.startsWith("application/x-www-form-urlencoded") ? "" : readPairs(body);
        return {
          startedDateTime: at,
          time: ms,
          request: {
            method,
            url: addressOf(recorded, origin),
            httpVersion,
            cookies: [],
            headers: listOf(wire?.headers ?? {}),
            queryString: listOf(wire?.query ?? {}),
            headersSize: -1,
            bodySize: body === null ? 0 : bytes(body),
            ...(body === null
              ? {}
              : {
                  postData: {
                    mimeType: type,
                    text: body,
                    ...(typeof pairs === "string" ? {} : { params: pairs.map(([name, value]) => ({ name, value })) }),
                  },
                }),
          },
          response: {
            status,
            statusText: "",
            httpVersion,
            cookies: [],
            headers: listOf(answered),
            content: { size: bytes(text), mimeType: answered["content-type"] ?? "", text },
            redirectURL: answered.location ?? "",
            headersSize: -1,
            bodySize: -1,
          },
          cache: {},
          timings: { send: 0, wait: ms, receive: 0 },
        };
      }),
    },
  };
}

/** A request as a case of its page, to be put under `cases` in a file of cases: what was typed, and what came of it. */
export function asCase(recorded: RecordedRequest): string {
  const { actor, key, method, path, at, outcome, status, steps } = recorded;
  const read = steps.find(({ step }) => step === "read");
  const typed = (read?.values ?? [])
    .filter(({ note }) => note === "touched")
    .map(({ name, value }) => [name, value ?? ""]);
  const wrong = steps.find(({ step, stopped }) => step === "check" && stopped !== null);
  const fields = (wrong?.values ?? []).flatMap(({ name }) =>
    name === "form" || name.startsWith("quill.") ? [] : [name],
  );
  const one = {
    name: `${method} ${path} of ${at.slice(0, 10)}`,
    as: actor?.name ?? "nobody",
    ...(key === null ? {} : { record: [...key] }),
    ...(read ? { type: Object.fromEntries(typed) } : {}),
    expect: { outcome, status, ...(fields.length > 0 ? { at: [...new Set(fields)] } : {}) },
  };
  return stringify([one], { lineWidth: 0 });
}
