import { mostStepsOfPage, writtenSteps } from "../condition/budget.js";
import type { Condition, ValueExpression } from "../condition/expression.js";
import { parseCondition, parseValue } from "../condition/parse.js";
import { type Finding, type MoreOfError, type MoreOfWarning, mostFindings, type Repair } from "../findings/finding.js";
import type { FindingCode } from "../findings/finding-codes.js";
import { spelling } from "../findings/spelling.js";
import { parseTemplate, type Template } from "../settings/bound/template.js";
import type { PageContext } from "../settings/context.js";
import type { FieldSettings } from "../settings/field/index.js";
import { type Catalog, type Column, columnOf, type Table, tableName } from "../table/model.js";
import { suggestion } from "../values/nearest.js";
import { readValue } from "../values/read-value.js";
import { fieldsIn } from "./fields-in.js";
import type { Field } from "./page.js";
import type { ParsedPage, Path } from "./parse.js";

/** What of a database a page is bound to. */
export type PageCatalog = Pick<Catalog, "tables" | "routines">;

/** A field whose column is gone. */
const takeOff = (name: string): Repair => ({
  what: `remove ${name} from the page`,
  edits: [{ do: "remove-fields", names: [name] }],
});

/** What settings are bound with: the file and the table, and where to say what is wrong. */
export class Binder implements PageContext {
  readonly findings: Finding[] = [];
  /** The fields that are bound, from when they are. */
  fields: readonly Field[] = [];
  /** The steps that the page's conditions may take so far. */
  private steps = 0;
  private readonly settings: ReadonlyMap<string, FieldSettings>;

  constructor(
    private readonly parsed: ParsedPage,
    readonly catalog: PageCatalog,
    readonly table: Table,
  ) {
    this.settings = new Map(fieldsIn(parsed.file).map(({ name, settings }) => [name, settings]));
  }

  get file(): ParsedPage["file"] {
    return this.parsed.file;
  }

  get keyNames(): readonly string[] {
    return [this.file.record.key].flat();
  }

  isKey({ name }: Column): boolean {
    return this.keyNames.includes(name);
  }

  get fieldNames(): readonly string[] {
    return [...this.settings.keys()];
  }

  readonly given = (...path: readonly string[]): unknown =>
    path.reduce<unknown>(
      (inside, name) => (inside as Readonly<Record<string, unknown>> | undefined)?.[name],
      this.file,
    );

  /** The settings of one of the page's fields; undefined where there is none of that name. */
  readonly settingsOf = (name: string): FieldSettings | undefined => this.settings.get(name);

  error(code: FindingCode, message: string, path: Path, more: MoreOfError = {}): null {
    this.findings.push(this.parsed.finding("error", { code, message, path, ...more }));
    return null;
  }

  warning(code: FindingCode, message: string, path: Path, more: MoreOfWarning = {}): void {
    this.findings.push(this.parsed.finding("warning", { code, message, path, ...more }));
  }

  column(name: string, path: Path, key = false): Column | null {
    const column = columnOf(this.table, name);
    if (column) return column;
    // Beyond what is listed no nearest name is looked for: to do so for thousands takes longest.
    const known = this.findings.length < mostFindings ? this.table.columns.map((each) => each.name) : [];
    return this.error(
      "unknown-column",
      `The table ${tableName(this.table)} has no column "${name}".${suggestion(name, known)}`,
      path,
      { key, repair: spelling(name, known) ?? (key ? takeOff(name) : undefined) },
    );
  }

  /** A name that should be one of the page's fields, and is none. */
  unknownField(name: string, path: Path, key = false): void {
    const known = this.fieldNames;
    const message = `This page has no field "${name}".${suggestion(name, known)}`;
    this.error("unknown-field", message, path, { key, repair: spelling(name, known) });
  }

  template(text: string, path: Path): Template {
    const template = parseTemplate(text);
    for (const name of template.columns) this.column(name, path);
    return template;
  }

  condition(source: string | undefined, hasForm: boolean, path: Path): Condition | null {
    if (source === undefined) return null;
    const result = parseCondition(source, this.table, hasForm ? this.table : null);
    if (result.ok) return this.affordable(result.condition, path);
    const { message, offset, misspelt } = result.problem;
    return this.error("condition", message, path, {
      offset,
      repair: misspelt && { what: `write ${misspelt.right}`, ...misspelt },
    });
  }

  /** A condition that the page still has steps for. */
  affordable(condition: Condition, path: Path): Condition | null {
    const before = this.steps;
    this.steps += writtenSteps(condition.expression);
    if (this.steps <= mostStepsOfPage) return condition;
    if (before > mostStepsOfPage) return null;
    const most = mostStepsOfPage.toLocaleString("en");
    return this.error(
      "condition",
      `With this one, the conditions of this page take more than ${most} steps. Make their lists shorter, or the conditions fewer.`,
      path,
    );
  }

  /** An expression for a column's value. */
  value(source: string, column: Column, path: Path, hasForm = false): ValueExpression | null {
    const result = parseValue(source, column, this.table, hasForm ? this.table : null);
    if (result.ok) {
      const { expression } = result.value;
      const isFixed = expression.op === "literal" && expression.value !== null;
      if (!isFixed || readValue(column.type, String(expression.value), "UTC").ok) return result.value;
      return this.error("condition", `${source} is no ${column.type.shown}, as ${column.name} is.`, path);
    }
    const { message, offset } = result.problem;
    return this.error("condition", message, path, { offset });
  }
}
