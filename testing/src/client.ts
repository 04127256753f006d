/** What a server answered, its body read. */
export interface Answer {
  readonly status: number;
  readonly headers: Headers;
  readonly text: string;
}

/** A browser's bare bones: keeps cookies, does not follow redirects by itself. */
export class Client {
  private readonly cookies = new Map<string, string>();

  constructor(readonly base: string) {}

  private keep(headers: Headers): void {
    for (const cookie of headers.getSetCookie()) {
      const [pair = "", ...attributes] = cookie.split(";");
      const equals = pair.indexOf("=");
      if (attributes.some((each) => each.trim() === "Max-Age=0")) this.cookies.delete(pair.slice(0, equals));
      else this.cookies.set(pair.slice(0, equals), pair.slice(equals + 1));
    }
  }

  async send(path: string, init: RequestInit = {}): Promise<Answer> {
    const cookie = [...this.cookies].map(([name, value]) => `${name}=${value}`).join("; ");
    const headers = { ...(cookie ? { cookie } : {}), ...(init.headers as Record<string, string> | undefined) };
    const response = await fetch(this.base + path, { ...init, headers, redirect: "manual" });
    this.keep(response.headers);
    return { status: response.status, headers: response.headers, text: await response.text() };
  }

  /** Its cookies as they are sent. */
  get cookieHeader(): string {
    return [...this.cookies].map(([name, value]) => `${name}=${value}`).join("; ");
  }

  /** Goes on as another one, as a browser does whose next request comes to another process. */
  takeCookies(other: Client): void {
    for (const [name, value] of other.cookies) this.cookies.set(name, value);
  }

  /** Opens an answer that goes on. */
  open(path: string, signal: AbortSignal): Promise<Response> {
    const cookie = [...this.cookies].map(([name, value]) => `${name}=${value}`).join("; ");
    return fetch(this.base + path, { headers: { cookie }, signal });
  }

  get(path: string): Promise<Answer> {
    return this.send(path);
  }

  post(path: string, body: string): Promise<Answer> {
    return this.send(path, { method: "POST", body, headers: { "content-type": "application/x-www-form-urlencoded" } });
  }
}
