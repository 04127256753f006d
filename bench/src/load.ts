import { Pool } from "undici";

export interface Answer {
  readonly status: number;
  readonly body: string;
  readonly cookies: readonly string[];
  /** Milliseconds from the request's first byte to the answer's last. */
  readonly ms: number;
}

/** Requests over connections that are kept. */
export class Load {
  private readonly pool: Pool;
  private cookie = "";

  constructor(
    port: number,
    /** How many requests are under way at once. */
    readonly concurrency: number,
  ) {
    this.pool = new Pool(`http://127.0.0.1:${port}`, { connections: concurrency, pipelining: 1 });
  }

  async send(method: "GET" | "POST", path: string, body?: string): Promise<Answer> {
    const started = performance.now();
    const answer = await this.pool.request({
      method,
      path,
      headers: {
        ...(this.cookie ? { cookie: this.cookie } : {}),
        ...(method === "POST" ? { "content-type": "application/x-www-form-urlencoded" } : {}),
      },
      body: body ?? null,
    });
    const text = await answer.body.text();
    return {
      status: answer.statusCode,
      body: text,
      cookies: [answer.headers["set-cookie"] ?? []].flat(),
      ms: performance.now() - started,
    };
  }

  /** Gets a session: its cookies go with every request from here on. */
  async begin(path: string): Promise<void> {
    const { cookies } = await this.send("GET", path);
    this.cookie = cookies.map((cookie) => cookie.split(";")[0]).join("; ");
  }

  /** Goes on with cookies that somebody got elsewhere. */
  carry(cookie: string): void {
    this.cookie = cookie;
  }

  /** Runs tasks, as many at once as told. @returns their results in order, and the time that all of them took */
  async all<Task, Result>(
    tasks: readonly Task[],
    run: (task: Task) => Promise<Result>,
  ): Promise<{ results: Result[]; seconds: number }> {
    const results: Result[] = [];
    let next = 0;
    const started = performance.now();
    const worker = async (): Promise<void> => {
      while (next < tasks.length) {
        const index = next++;
        results[index] = await run(tasks[index] as Task);
      }
    };
    await Promise.all(Array.from({ length: this.concurrency }, worker));
    return { results, seconds: (performance.now() - started) / 1000 };
  }

  close(): Promise<void> {
    return this.pool.close();
  }
}

const unescaped = (text: string): string =>
  text
    .replaceAll("&#34;", '"')
    .replaceAll("&quot;", '"')
    .replaceAll("&#39;", "'")
    .replaceAll("&#13;", "\r")
    .replaceAll("&lt;", "<")
    .replaceAll("&gt;", ">")
    .replaceAll("&amp;", "&");

const attribute = (tag: string, name: string): string | undefined => {
  const [, quoted, inApostrophes] = new RegExp(` ${name}=(?:"([^"]*)"|'([^']*)')`).exec(tag) ?? [];
  const found = quoted ?? inApostrophes;
  return found === undefined ? undefined : unescaped(found);
};

/** A form's values as a browser would send them: good enough for the two pages that are held against each other. */
export function valuesIn(html: string): URLSearchParams {
  const begin = Math.max(
    ...["quill-sheet", "quill-rows", "sheet"].map((name) => html.indexOf(`<form class="${name}"`)),
  );
  const form = html.slice(begin, html.lastIndexOf("</form>"));
  const values = new URLSearchParams();
  for (const [tag] of form.matchAll(/<input[^>]*>/g)) {
    const name = attribute(tag, "name");
    if (name === undefined || (tag.includes('type="checkbox"') && !/ checked/.test(tag))) continue;
    values.set(name, attribute(tag, "value") ?? "");
  }
  for (const match of form.matchAll(/(<select[^>]*>)(.*?)<\/select>/gs)) {
    const chosen =
      /<option[^>]* selected[^>]*>/.exec(match[2] ?? "")?.[0] ?? /<option[^>]*>/.exec(match[2] ?? "")?.[0] ?? "";
    values.set(attribute(match[1] ?? "", "name") ?? "", attribute(chosen, "value") ?? "");
  }
  for (const match of form.matchAll(/(<textarea[^>]*>)\n?(.*?)<\/textarea>/gs))
    values.set(attribute(match[1] ?? "", "name") ?? "", unescaped(match[2] ?? "").replaceAll(/\r?\n/g, "\r\n"));
  return values;
}
