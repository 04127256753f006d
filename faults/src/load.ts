import { type Answer, bodyOf, type Client, formOf } from "@loyal-quill/testing";
import { type Ground, slips } from "./ground.js";

/** What became of one text that somebody typed, as far as the answers told. */
export type Fate =
  /** A redirect: it is saved. */
  | "saved"
  /** The answer said that nothing was saved. */
  | "not saved"
  /** No answer came, or none that says. */
  | "unknown";

/** Everything that was typed, and how it was answered. */
export interface Record {
  readonly fates: Map<string, Fate>;
  /** Texts of new records, among those above. */
  readonly made: Set<string>;
  /** How often an answer said that it is not known yet; the form was then sent again. */
  doubts: number;
  /** Saves that the first answer told about although the connection was lost on the way, or a later one: "was saved at". */
  toldLater: number;
  /** Forms and saves that got no answer, or one of the class 5xx. */
  failed: number;
  /** Answers 5xx that kept what was typed, and those that did not. */
  kept: number;
  lost: number;
  conflicts: number;
  /** When the last answer that saved something came, in milliseconds of `performance.now()`. */
  readonly savedAt: number[];
}

const newRecord = (): Record => ({
  fates: new Map(),
  made: new Set(),
  doubts: 0,
  failed: 0,
  toldLater: 0,
  kept: 0,
  lost: 0,
  conflicts: 0,
  savedAt: [],
});

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** How often a form is sent again that came back without a word on what became of it. */
const mostSends = 40;

/** A page that keeps a form to be sent again: where to, and its pairs. */
function keptForm(html: string): { readonly address: string; readonly body: string } | null {
  const form =
    /<form method="post" action="([^"]+)"[^>]*>((?:<input type="hidden"[^>]*>)+)<p class="quill-actions">/.exec(html);
  if (!form) return null;
  const text = (value: string): string =>
    value.replaceAll("&#13;", "\r").replaceAll("&quot;", '"').replaceAll("&#39;", "'").replaceAll("&amp;", "&");
  const pairs = [...(form[2] ?? "").matchAll(/name="([^"]*)" value="([^"]*)"/g)].map(
    ([, name = "", value = ""]): [string, string] => [name, text(value)],
  );
  return { address: form[1] ?? "", body: new URLSearchParams(pairs).toString() };
}

/** One person at work: opens, types, saves, and does what the answers say. */
class Person {
  private count = 0;
  /** Whether the last question was not even taken: nobody listened. */
  private refused = false;

  constructor(
    private readonly client: Client,
    private readonly name: string,
    private readonly record: Record,
    private readonly stopped: () => boolean,
  ) {}

  /** Until somebody says stop. */
  async work(): Promise<void> {
    while (!this.stopped()) {
      this.count += 1;
      const isNew = this.count % 5 === 0;
      const address = isNew ? "/slips/new" : `/slips/${1 + Math.floor(Math.random() * slips)}/edit`;
      const opened = await this.ask(() => this.client.get(address));
      if (opened?.status !== 200) {
        await pause(50);
        continue;
      }
      const text = `${this.name} ${this.count}`;
      if (isNew) this.record.made.add(text);
      await this.save(address, bodyOf(formOf(opened.text), isNew ? { body: text, name: text } : { body: text }), text);
    }
  }

  /** Sends a form, and again as long as the answers say that this tells what became of it. */
  private async save(address: string, body: string, text: string): Promise<void> {
    const { record } = this;
    let [to, sent] = [address, body];
    for (let turn = 0; turn < mostSends; turn++) {
      const before = record.fates.get(text);
      record.fates.set(text, "unknown");
      const answer = await this.ask(() => this.client.post(to, sent));
      // No answer: a person would look at the record; here it stays unknown, and may be stored once or not at all.
      if (!answer) {
        if (this.refused) record.fates.set(text, before === "unknown" ? "unknown" : "not saved");
        return;
      }
      if (answer.status === 303) {
        if (/was saved at/.test(decodeURIComponent(answer.headers.getSetCookie().join(" ")))) record.toldLater += 1;
        record.fates.set(text, "saved");
        record.savedAt.push(performance.now());
        return;
      }
      const next = this.judge(answer, text, before);
      if (next === null) return;
      [to, sent] = [next.address ?? to, next.body];
      await pause(100);
    }
  }

  /** What an answer that is no redirect says of a text, and what to send next; null where that is all. */
  private judge(
    { status, text: html }: Answer,
    text: string,
    before: Fate | undefined,
  ): { readonly address?: string; readonly body: string } | null {
    const { record } = this;
    if (status === 409) record.conflicts += 1;
    const again = keptForm(html);
    if (again) {
      // Refused before anything was sent to the edited database: what is unknown of an earlier try stays so.
      record.kept += 1;
      record.fates.set(text, before === "unknown" ? "unknown" : "not saved");
      return again;
    }
    if (!html.includes('class="quill-sheet" method="post"')) {
      if (status >= 500) record.lost += 1;
      return null;
    }
    if (status >= 500) record.kept += 1;
    if (html.includes("is not known yet")) {
      record.doubts += 1;
      return { body: bodyOf(formOf(html)) };
    }
    if (html.includes("Nothing was saved")) record.fates.set(text, before === "unknown" ? "unknown" : "not saved");
    return null;
  }

  private async ask(send: () => Promise<Answer>): Promise<Answer | null> {
    try {
      const answer = await send();
      if (answer.status >= 500) this.record.failed += 1;
      return answer;
    } catch (error) {
      this.record.failed += 1;
      this.refused = ((error as Error).cause as { code?: string } | undefined)?.code === "ECONNREFUSED";
      await pause(30);
      return null;
    }
  }
}

/**
 * People at work while something is done to what they work with.
 *
 * @param name makes the round's texts its own
 * @param run the fault, told of what was typed so far; the load goes on until it has ended, and three seconds longer
 */
export async function underLoad(
  ground: Pick<Ground, "clients">,
  name: string,
  run: (record: Record) => Promise<void>,
): Promise<Record> {
  const record = newRecord();
  let stopped = false;
  const working = ground.clients.map((client, index) =>
    new Person(client, `${name}-${index}`, record, () => stopped).work(),
  );
  await pause(2000);
  await run(record);
  await pause(3000);
  stopped = true;
  await Promise.all(working);
  return record;
}
