import { catalogMark, type Database, DatabaseAway } from "@loyal-quill/core";
import { type FoundSteps, type ImportModule, loadOwnSteps, OwnCodeError } from "../own/code.js";
import { type EarlierTexts, type Loaded, loadPageFiles, markOfFiles, watchPageFiles } from "./page-files.js";

interface LiveSiteOptions {
  readonly directory: string;
  readonly database: Database;
  /** Steps that were handed in; they go before those beside the files. */
  readonly given: ReadonlyMap<string, FoundSteps>;
  readonly importModule?: ImportModule | undefined;
  readonly earlier?: EarlierTexts | undefined;
  /** Milliseconds between two looks whether tables or files are others than those that were read. */
  readonly lookEvery: number;
  readonly onLoad: (loaded: Loaded) => void;
  readonly onError: (error: unknown) => void;
}

/** What is served, as it was read at one time. */
interface Read {
  readonly loaded: Loaded;
  readonly steps: ReadonlyMap<string, FoundSteps>;
  /** Of the structure of the tables, and of the files: both from before they were read, so that what changes meanwhile is noticed. */
  readonly structure: string;
  readonly files: string;
}

/** Milliseconds between two tries to read the page files while the database is away. */
const retryEvery = 1000;

const structureMark = async (database: Database): Promise<string> => (await database.run(catalogMark()))[0]?.mark ?? "";

async function read(options: LiveSiteOptions, before?: Loaded): Promise<Read> {
  const { directory, database, given, importModule, earlier } = options;
  const [structure, files] = await Promise.all([structureMark(database), markOfFiles(directory)]);
  const [loaded, found] = await Promise.all([
    loadPageFiles(directory, database, before, earlier),
    loadOwnSteps(directory, importModule),
  ]);
  return { loaded, steps: new Map([...found, ...given]), structure, files };
}

/** The pages that are served, and the steps beside them: kept as they are on disk and in the catalogs. */
export class LiveSite {
  private running: Promise<void> = Promise.resolve();
  private waiting: Promise<void> | null = null;
  private looking = false;
  private closed = false;
  private again: NodeJS.Timeout | undefined;
  private readonly watcher: ReturnType<typeof watchPageFiles>;
  private readonly looks: NodeJS.Timeout;

  /** @throws where files or catalogs can't be read at the start */
  static async open(options: LiveSiteOptions): Promise<LiveSite> {
    return new LiveSite(options, await read(options));
  }

  private constructor(
    private readonly options: LiveSiteOptions,
    private last: Read,
  ) {
    this.watcher = watchPageFiles(options.directory, () => void this.reload());
    this.looks = setInterval(() => void this.look(), options.lookEvery).unref();
  }

  get loaded(): Loaded {
    return this.last.loaded;
  }

  get steps(): ReadonlyMap<string, FoundSteps> {
    return this.last.steps;
  }

  /**
   * Reads everything anew. One reading at a time: who asks while one is under way waits for the next, which begins after they asked and so
   * has seen what they mean.
   */
  reload(): Promise<void> {
    this.waiting ??= this.running.then(() => {
      this.waiting = null;
      this.running = this.readAnew();
      return this.running;
    });
    return this.waiting;
  }

  /** Where it fails, since the database is away, it is tried until it works. */
  private async readAnew(): Promise<void> {
    clearTimeout(this.again);
    if (this.closed) return;
    try {
      this.last = await read(this.options, this.last.loaded);
      this.options.onLoad(this.last.loaded);
    } catch (error) {
      this.options.onError(error);
      // A file that can't be used is read again once it is changed.
      if (!this.closed && !(error instanceof OwnCodeError))
        this.again = setTimeout(() => void this.reload(), retryEvery).unref();
    }
  }

  /** Reads everything anew where the tables' structure or the files are others than when they were read. */
  async look(): Promise<void> {
    if (this.looking || this.closed) return;
    this.looking = true;
    try {
      await this.running;
      const { database, directory } = this.options;
      const [structure, files] = await Promise.all([structureMark(database), markOfFiles(directory)]);
      if (structure !== this.last.structure || files !== this.last.files) await this.reload();
    } catch (error) {
      // A database that is away is told of by the requests themselves.
      if (!(error instanceof DatabaseAway)) this.options.onError(error);
    } finally {
      this.looking = false;
    }
  }

  async close(): Promise<void> {
    this.closed = true;
    clearTimeout(this.again);
    clearInterval(this.looks);
    this.watcher.close();
    await this.running;
  }
}
