import { asksFor, type Condition } from "@loyal-quill/core/condition/expression";
import type { Facts } from "@loyal-quill/core/condition/facts";
import type { SchemaChange } from "@loyal-quill/core/findings/schema-change";
import type { Field, Page } from "@loyal-quill/core/page/page";
import type { Database, Stored } from "@loyal-quill/core/postgres/statement";
import { kindOf } from "@loyal-quill/core/rules/index";
import type { Rule } from "@loyal-quill/core/rules/rule";
import { breaksRule } from "@loyal-quill/core/steps/check";
import { holdCheck, holdRule } from "./hold.js";
import {
  blocksStatement,
  countStatement,
  duplicatesStatement,
  examplesStatement,
  oneMoment,
  patiently,
  type Refuses,
  refusedAsDuplicate,
  refusedAsValue,
  refusedByCheck,
  refusedByRule,
  valuesStatement,
} from "./statements.js";

/** One thing of a page that may refuse stored rows, and what was found. */
export interface CensusCount {
  /** The field that it belongs to; null for a check across fields. */
  readonly field: string | null;
  /** The rule's name, or `check`. */
  readonly rule: string;
  /** A check's condition, or what the rule demands, in a few words. */
  readonly demand: string;
  readonly when: string | null;
  /** How many stored rows it would refuse; null where that can't be counted. */
  readonly refused: number | null;
  /** Why it can't be counted. */
  readonly because: string | null;
  /** Keys of some of them, in the order of the page's key. */
  readonly examples: readonly (readonly string[])[];
  /** The statements that would make the table hold it too; null where no constraint can say it. */
  readonly hold: SchemaChange | null;
}

export interface Census {
  /** All rows of the table. */
  readonly rows: number;
  readonly counts: readonly CensusCount[];
}

/** What a census that goes on has counted so far: of each question the rows that it would refuse. */
export interface CensusSoFar {
  readonly rows: number;
  readonly refused: readonly number[];
}

export interface CensusOptions {
  /** Told of how far it is, from 0 to 1. */
  readonly onProgress?: (done: number, soFar: CensusSoFar) => void;
  /** Asked between statements: ends it with {@link CensusCancelled}. */
  readonly isCancelled?: () => boolean;
  /** Blocks of a table that are counted by one statement. */
  readonly blocks?: number;
}

export class CensusCancelled extends Error {}

/** How many keys of refused rows are told. */
const mostExamples = 20;
/** How many different refused values are kept to find their rows. */
const mostValues = 200;

/** Blocks of one part: 8 MiB of rows in PostgreSQL's usual blocks, a fraction of a second's reading. */
const partBlocks = 1024;

type Way =
  /** Counted by PostgreSQL along with others, part by part. */
  | { readonly by: "predicate"; readonly refuses: Refuses }
  /** Its values are looked at here. */
  | { readonly by: "values"; readonly field: Field; readonly rule: Rule }
  | { readonly by: "duplicates"; readonly field: Field; readonly ignoringCase: boolean }
  | { readonly by: "nothing"; readonly because: string };

interface Question {
  readonly about: Omit<CensusCount, "refused" | "because" | "examples">;
  readonly way: Way;
}

const asksActor = (condition: Condition | null): boolean => condition !== null && asksFor(condition, "actor");

function wayOf(rule: Rule, field: Field): Way {
  if (asksActor(rule.when)) return { by: "nothing", because: "its condition depends on who asks" };
  const counted = kindOf(rule).counted?.(rule.demand, field.column) ?? { by: "values" };
  switch (counted.by) {
    case "predicate":
      return { by: "predicate", refuses: refusedByRule(rule, field.column, counted.refused) };
    case "values":
      return { by: "values", field, rule };
    case "duplicates":
      return { by: "duplicates", field, ignoringCase: counted.ignoringCase };
    case "nothing":
      return counted;
  }
}

function questionsOf(page: Page): Question[] {
  const rules = page.fields.flatMap((field) =>
    field.rules
      .filter((rule) => rule.from === "page")
      .map((rule): Question => {
        const hold = holdRule(rule, page.table, field.column);
        const about = {
          field: field.column.name,
          rule: rule.rule,
          demand: kindOf(rule).words(rule.demand) ?? "",
          when: rule.when?.source ?? null,
          hold,
        };
        return { about, way: wayOf(rule, field) };
      }),
  );
  const checks = page.checks.map((check): Question => {
    const { condition } = check;
    const about = {
      field: check.at,
      rule: "check" as const,
      demand: condition.source,
      when: null,
      hold: holdCheck(condition, page.table),
    };
    if (asksActor(condition)) return { about, way: { by: "nothing", because: "it depends on who asks" } };
    return { about, way: { by: "predicate", refuses: refusedByCheck(condition) } };
  });
  return [...rules, ...checks];
}

/** What a page's rules and checks would refuse of what is stored now, each counted exactly, at one moment. */
class Counting {
  private readonly counts: number[];
  private readonly values: Set<Stored>[];
  private rows = 0;

  constructor(
    private readonly page: Page,
    private readonly questions: readonly Question[],
    private readonly asked: { readonly facts: Facts; readonly database: Database; readonly options: CensusOptions },
  ) {
    this.counts = questions.map(() => 0);
    this.values = questions.map(() => new Set());
  }

  private go(done: number): void {
    if (this.asked.options.isCancelled?.()) throw new CensusCancelled("The census was cancelled.");
    this.asked.options.onProgress?.(done, { rows: this.rows, refused: [...this.counts] });
  }

  async take(): Promise<Census> {
    const { page, questions } = this;
    const { database } = this.asked;
    await database.run(oneMoment);
    await database.run(patiently);
    const [length] = await database.run(blocksStatement(page.table));
    const blocks = Number(length?.blocks ?? 0);
    const step = this.asked.options.blocks ?? partBlocks;
    for (let from = 0; from < Math.max(1, blocks); from += step) {
      this.go((0.9 * from) / Math.max(1, blocks));
      await this.part({ from, to: from + step });
    }
    const counts: CensusCount[] = [];
    for (const [index, question] of questions.entries()) {
      this.go(0.9 + (0.1 * index) / questions.length);
      counts.push(await this.finished(question, index));
    }
    return { rows: this.rows, counts };
  }

  private async part(part: { from: number; to: number }): Promise<void> {
    const { page, questions } = this;
    const { database, facts } = this.asked;
    const written = questions.flatMap(({ way }, index) =>
      way.by === "predicate" ? [{ index, refuses: way.refuses }] : [],
    );
    const [row] = await database.run(
      countStatement(
        page.table,
        written.map(({ refuses }) => refuses),
        part,
        facts,
      ),
    );
    this.rows += Number(row?.rows ?? 0);
    for (const [place, { index }] of written.entries())
      this.counts[index] = (this.counts[index] ?? 0) + Number(row?.[String(place)] ?? 0);
    for (const [index, { way }] of questions.entries()) {
      if (way.by !== "values") continue;
      const found = await database.run(
        valuesStatement(page.table, { column: way.field.column, when: way.rule.when }, part, facts),
      );
      this.judge(index, way, found);
    }
  }

  private judge(
    index: number,
    { rule, field }: Way & { by: "values" },
    found: readonly Readonly<Record<string, Stored>>[],
  ): void {
    const values = this.values[index] as Set<Stored>;
    for (const { value = null, rows } of found) {
      if (!breaksRule(rule, field, value)) continue;
      this.counts[index] = (this.counts[index] ?? 0) + Number(rows);
      if (values.size < mostValues) values.add(value);
    }
  }

  private async finished({ about, way }: Question, index: number): Promise<CensusCount> {
    if (way.by === "nothing") return { ...about, refused: null, because: way.because, examples: [] };
    const { page } = this;
    const { database, facts } = this.asked;
    let refuses: Refuses;
    let refused = this.counts[index] ?? 0;
    if (way.by === "predicate") refuses = way.refuses;
    else if (way.by === "values")
      refuses = refusedAsValue(way.field.column, [...(this.values[index] as Set<Stored>)], way.rule.when);
    else {
      const { column } = way.field;
      const [row] = await database.run(duplicatesStatement(page.table, column, way.ignoringCase));
      refused = Number(row?.rows ?? 0);
      refuses = refusedAsDuplicate(page.table, column, way.ignoringCase);
    }
    const examples = refused === 0 ? [] : await database.run(examplesStatement(page, refuses, facts, mostExamples));
    return {
      ...about,
      refused,
      because: null,
      examples: examples.map((row) => page.key.map((_, place) => row[String(place)] ?? "")),
    };
  }
}

/**
 * Counts, for every rule and check of a page, how many stored rows it would refuse. The table is read part by part inside one
 * transaction that sees one moment, so the counts are exact however long it takes and whatever is changed meanwhile.
 *
 * @throws CensusCancelled when it was asked to stop
 */
export const takeCensus = (
  page: Page,
  facts: Facts,
  database: Database,
  options: CensusOptions = {},
): Promise<Census> =>
  database.transaction(
    (inside) => new Counting(page, questionsOf(page), { facts, database: patient(inside), options }).take(),
    "reading",
  );

/** Counting takes its time: the limit of a request's statements is not its own. */
const patient = (database: Database): Database => ({
  transaction: (run, purpose) => database.transaction(run, purpose),
  run: (statement) => database.run({ ...statement, slow: true }),
});
