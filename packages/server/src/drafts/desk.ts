import { randomUUID } from "node:crypto";
import { access, constants, readFile, rename, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import { type Drift, draftPages, editPageFile, type Merged, mergePageFiles, tableDrift } from "@loyal-quill/authoring";
import { findTable, isError, parsePage, type Table, tableName } from "@loyal-quill/core";
import type { Loaded, Pages } from "@loyal-quill/runtime";
import type { FeedEvent } from "../api/types.js";
import type { Draft, Version } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { byItself, type Doer, note } from "../trail.js";
import { DeskRefusal } from "./desk-refusal.js";
import type { Threads } from "./threads.js";

interface DeskOptions {
  readonly store: Store;
  readonly pages: Pages;
  /** Where drafts are judged and merged. */
  readonly threads: Threads;
  /** The directory of the page files. */
  readonly directory: string;
  readonly tell: (event: Extract<FeedEvent, { kind: "draft" }>) => void;
  /** Told when a page was published here. */
  readonly onPublished: (page: string) => void;
  /** Whether the files are the store's versions written out: then none of them is changed by other means. */
  readonly ofStore: boolean;
}

const byWhom = ({ id, name }: Doer): { readonly byId: string | null; readonly byName: string } => ({
  byId: id,
  byName: name,
});

/** How often a change is merged again because somebody else was faster. */
const mostTries = 20;

export const nameForm = /^[a-z0-9][a-z0-9_-]{0,99}$/i;

/** A page's file, as it was when it was last looked at and as it is now; null where there is none. */
interface FileChange {
  readonly page: string;
  /** Undefined where this process sees the file for the first time. */
  readonly before: string | null | undefined;
  readonly now: string | null;
  readonly changed: boolean;
}

/** Of so many pages at once what is in their files is kept. */
const mostKeptAtOnce = 100;

/** Where page files are worked on: drafts begun, changed by several people at once, published; and what the files were before. */
export class Desk {
  private syncing: Promise<void> = Promise.resolve();
  /** What each file was when this process last looked; null where it was gone. */
  private readonly seen = new Map<string, string | null>();
  /** What was otherwise in the pages' tables when it was last asked, and what it was found from. */
  private lastDrift:
    | {
        readonly mark: string;
        readonly catalog: Loaded["catalog"];
        readonly found: ReadonlyMap<string, readonly Drift[]>;
      }
    | undefined;

  constructor(private readonly options: DeskOptions) {}

  private file(name: string): string {
    return path.join(this.options.directory, `${name}.page.yaml`);
  }

  private loaded(): Loaded {
    return this.options.pages.loaded();
  }

  /** What is on disk and served, or null. */
  published(name: string): string | null {
    return this.loaded().files.find((file) => file.name === name)?.text ?? null;
  }

  /** The text that is worked on: the draft, or the published file where there is none. */
  async text(name: string): Promise<{ text: string; draft: Draft | null; published: string | null }> {
    const [draft, published] = [await this.options.store.drafts.one(name), this.published(name)];
    const text = draft?.text ?? published;
    if (text === null)
      throw new DeskRefusal("No such page", "There is neither a page file nor a draft of this name.", 404);
    return { text, draft, published };
  }

  /** The text that is worked on, as what is asked of a thread. */
  async draft(name: string): Promise<{ readonly name: string; readonly text: string }> {
    return { name, text: (await this.text(name)).text };
  }

  /**
   * A new draft of a table that has no page yet, or of a text.
   *
   * @returns the page's name
   */
  async begin(from: { table: string } | { name: string; text: string }, by: Doer): Promise<string> {
    const { name, text } = "table" in from ? await this.drafted(from.table) : from;
    if (!nameForm.test(name))
      throw new DeskRefusal(
        "Not a name",
        `A page's name has letters, digits, - and _, like station. “${name}” has others.`,
        422,
      );
    const base = this.published(name);
    const begun = await this.options.store.drafts.begin({
      page: name,
      text,
      base,
      revision: 1,
      at: new Date(),
      ...byWhom(by),
    });
    if (!begun)
      throw new DeskRefusal("There is a draft already", `The page ${name} has a draft that is not published.`);
    await note(this.options.store, by, "draft.made", { name, id: name });
    this.tell(name, 1, by.name);
    return name;
  }

  private async drafted(table: string): Promise<{ name: string; text: string }> {
    const { catalog, files } = this.loaded();
    const [draft] = draftPages(catalog, [table]).drafts;
    if (!draft) {
      const because = draftPages(catalog, [table]).without[0]?.because;
      throw new DeskRefusal(
        "No page for this table",
        because ?? `There is no table ${table} that this connection may read.`,
        422,
      );
    }
    const taken = new Set([
      ...files.map((file) => file.name),
      ...(await this.options.store.drafts.all()).map(({ page }) => page),
    ]);
    let [name, number] = [draft.name, 2];
    while (taken.has(name)) name = `${draft.name}-${number++}`;
    const address = `/${[name, ...draft.key.map((column) => `{${column}}`)].join("/")}`;
    const text =
      name === draft.name ? draft.text : editPageFile(draft.text, [{ do: "set", path: ["path"], value: address }]);
    return { name, text };
  }

  /**
   * Changes a draft, or begins one: what somebody else changed since is merged.
   *
   * @param was the text that the change was made to
   * @returns the text that is kept now, and where both changed the same
   */
  async change(
    name: string,
    change: { readonly was: string; readonly text: string },
    by: Doer,
  ): Promise<Merged & { revision: number }> {
    const { store } = this.options;
    for (let attempt = 0; attempt < mostTries; attempt++) {
      const { text, draft, published } = await this.text(name);
      const merged = await this.merged(change.was, change.text, text);
      if (draft && merged.text === draft.text) return { ...merged, revision: draft.revision };
      const revision = (draft?.revision ?? 0) + 1;
      const next: Draft = {
        page: name,
        text: merged.text,
        base: draft ? draft.base : published,
        revision,
        at: new Date(),
        ...byWhom(by),
      };
      const kept = draft ? await store.drafts.change(draft.revision, next) : await store.drafts.begin(next);
      if (!kept) continue;
      this.tell(name, revision, by.name);
      return { ...merged, revision };
    }
    throw new DeskRefusal("Too busy", "Others change this draft all the time. Try again.");
  }

  /** Both changes together. What needs no merging waits for no thread. */
  private async merged(base: string, mine: string, theirs: string): Promise<Merged> {
    return mine === theirs || mine === base || theirs === base
      ? mergePageFiles(base, mine, theirs)
      : this.options.threads.run("merge", { base, mine, theirs });
  }

  /**
   * Brings a file that was changed on disk into the draft: what both changed stays the draft's, and is said. Where the file was
   * deleted, the draft is one of a new page from then on.
   */
  async bringIn(name: string, by: Doer): Promise<Merged & { revision: number }> {
    const { text, draft, published } = await this.text(name);
    if (!draft || draft.base === published)
      throw new DeskRefusal("Nothing to bring in", "The file is what this draft was begun from.");
    const merged: Merged =
      published === null ? { text, conflicts: [] } : await this.merged(draft.base ?? "", published, text);
    const revision = draft.revision + 1;
    const next = { ...draft, text: merged.text, base: published, revision, at: new Date(), ...byWhom(by) };
    if (!(await this.options.store.drafts.change(draft.revision, next)))
      throw new DeskRefusal("Changed meanwhile", "Somebody else changed the draft at this moment. Try again.");
    this.tell(name, revision, by.name);
    return { ...merged, revision };
  }

  /** Takes a draft away; its text is answered, so that it can be put back. */
  async discard(name: string, revision: number, by: Doer): Promise<string> {
    const draft = await this.options.store.drafts.one(name);
    if (!draft) throw new DeskRefusal("No draft", "This page has no draft.", 404);
    if (!(await this.options.store.drafts.drop(name, revision)))
      throw new DeskRefusal("Changed meanwhile", "Somebody else has changed this draft since. Look at it first.");
    await note(this.options.store, by, "draft.discarded", { name, id: name }, { revision: String(revision) });
    this.tell(name, 0, by.name);
    return draft.text;
  }

  /**
   * Writes a draft's text to its file in one move and keeps it as a version.
   *
   * @param revision the one that was looked at: a draft that somebody has changed since is not published
   * @param everybody whether it is meant that everybody who is signed in may open the page, where the page does not say who
   */
  publish(name: string, revision: number, by: Doer, everybody = false): Promise<void> {
    // Alone among all processes: of two that publish the same draft at once, the second finds none any more.
    return this.options.store.alone("versions", () => this.publishAlone(name, revision, by, everybody));
  }

  private async publishAlone(name: string, revision: number, by: Doer, everybody: boolean): Promise<void> {
    const { text, draft, published } = await this.text(name);
    if (!draft) throw new DeskRefusal("Nothing to publish", "This page has no draft.");
    if (draft.revision !== revision)
      throw new DeskRefusal("Changed meanwhile", "Somebody else has changed this draft since. Look at it first.");
    const onDisk = await readFile(this.file(name), "utf8").catch(() => null);
    if (onDisk !== draft.base || published !== draft.base)
      throw new DeskRefusal(
        "The file has changed on disk",
        "Bring its changes into the draft first, so that none is lost.",
      );
    await this.write(name, text, by, everybody);
    await this.options.store.drafts.drop(name, revision);
    await note(this.options.store, by, "page.published", { name, id: name }, { revision: String(revision) });
    this.options.onPublished(name);
    this.tell(name, 0, by.name);
  }

  private async write(name: string, text: string, by: Doer, everybody: boolean): Promise<void> {
    const { store, directory, pages, threads } = this.options;
    const { findings, table, access: given } = await threads.run("sheet", { name, text });
    const first = findings.find(isError);
    if (first)
      throw new DeskRefusal("The page has errors", `Line ${first.line}, column ${first.column}: ${first.message}`, 422);
    if (!everybody && !given.some((each) => each.name === "open"))
      throw new DeskRefusal(
        "Open to everybody",
        "The page does not say who may open it, so everybody may who is signed in. Give it access.open, or publish it once more and say that this is meant.",
      );
    await access(directory, constants.W_OK).catch(() => {
      throw new DeskRefusal(
        "The file can't be written",
        "The server may not write to the directory of the page files. Download the file and put it there yourself.",
      );
    });
    const model = findTable(this.loaded().catalog.tables, table) ?? null;
    const number = await store.versions.add({ page: name, at: new Date(), ...byWhom(by), text, model });
    const beside = path.join(directory, `.${name}.${randomUUID()}.tmp`);
    try {
      await writeFile(beside, text, { flag: "wx" });
      await rename(beside, this.file(name));
    } catch (error) {
      await Promise.all([rm(beside, { force: true }), store.versions.drop(number)]);
      throw error;
    }
    await pages.reload();
  }

  versions(name: string): Promise<Version[]> {
    return this.options.store.versions.of(name);
  }

  /** Keeps what was changed on disk by other means as versions. */
  sync(): Promise<void> {
    if (this.options.ofStore) return Promise.resolve();
    this.syncing = this.syncing.then(() => this.keepVersions()).catch(() => {});
    return this.syncing;
  }

  private async keepVersions(): Promise<void> {
    const { store } = this.options;
    const known = new Map((await store.versions.last()).map((version) => [version.page, version]));
    const { files } = this.loaded();
    for (const { name, text } of files) {
      const last = known.get(name);
      if (last?.text !== text || last.model !== null) continue;
      const model = this.tableOf(text);
      if (model !== null) await store.versions.noteModel(last.number, model);
    }
    const texts = new Map(files.map(({ name, text }) => [name, text]));
    const looked = [...new Set([...texts.keys(), ...known.keys()])].map((page): FileChange => {
      const now = texts.get(page) ?? null;
      const before = this.seen.get(page);
      const changed = before === undefined ? now !== (known.get(page)?.text ?? null) : now !== before;
      return { page, before, now, changed };
    });
    const changes = looked.filter(({ changed }) => changed);
    // Other processes see the same changes: which of them keeps them is found out alone.
    for (let first = 0; first < changes.length; first += mostKeptAtOnce)
      await store.alone("versions", () => this.keepChanges(changes.slice(first, first + mostKeptAtOnce)));
    for (const { page, now } of looked) this.seen.set(page, now);
  }

  /** Keeps what files became as versions, unless another process has done so: then it stands there after what the file was before. */
  private async keepChanges(changes: readonly FileChange[]): Promise<void> {
    const { store } = this.options;
    const known = await store.versions.texts(changes.map(({ page }) => page));
    const unknown = changes.filter(({ page, before, now }) => {
      const texts = known.get(page) ?? [];
      const since = before === undefined ? 1 : texts.indexOf(before);
      return !texts.slice(0, since < 0 ? 1 : since).includes(now) && (now !== null || texts.length > 0);
    });
    const at = new Date();
    await store.versions.addAll(
      unknown.map(({ page, now }) => {
        const model = now === null ? null : this.tableOf(now);
        return { page, at, byName: null, byId: null, text: now, model };
      }),
    );
    for (const { page, before, now } of unknown) {
      // What is found at the first look was there before.
      if (before === undefined) continue;
      const what = now === null ? { what: "deleted" } : {};
      await note(store, byItself, "page.file-changed", { name: page, id: page }, what);
    }
  }

  /** The table that a page file names, as it is now. */
  private tableOf(text: string): Table | null {
    const parsed = parsePage(text);
    const name = parsed.ok ? parsed.page.file.record.table : null;
    return (name !== null && findTable(this.loaded().catalog.tables, name)) || null;
  }

  /** What is otherwise in each page's table than it was when the page was last published, by page; only where something is. */
  async drift(): Promise<ReadonlyMap<string, readonly Drift[]>> {
    const { catalog } = this.loaded();
    const mark = await this.options.store.versions.lastMark();
    // To hold a thousand tables against what they were takes a moment, and hardly ever comes to something else than the last time.
    if (this.lastDrift?.mark !== mark || this.lastDrift.catalog !== catalog)
      this.lastDrift = { mark, catalog, found: await this.driftOf(catalog) };
    return this.lastDrift.found;
  }

  private async driftOf({ tables }: Loaded["catalog"]): Promise<ReadonlyMap<string, readonly Drift[]>> {
    const found = (await this.options.store.versions.last()).flatMap(({ page, text, model }) => {
      if (!model || text === null) return [];
      const drift = tableDrift(
        model,
        tables.find((table) => tableName(table) === tableName(model)),
      );
      return drift.length > 0 ? [[page, drift] as const] : [];
    });
    return new Map(found);
  }

  /** Takes note of a page's table as it is now: what was told of its drift is known. */
  async note(name: string): Promise<void> {
    const { store } = this.options;
    const last = (await store.versions.last()).find(({ page }) => page === name);
    if (!last?.text) throw new DeskRefusal("Nothing to note", "This page was never published.", 404);
    await store.versions.noteModel(last.number, this.tableOf(last.text));
    this.tell(name, 0, "");
  }

  private tell(page: string, revision: number, by: string): void {
    this.options.tell({ kind: "draft", page, revision, by });
  }
}
