import type { Path } from "../../findings/path-in-file.js";
import type { RuleContext } from "../../rules/rule.js";
import { columnOf, type Routine } from "../../table/model.js";
import { suggestion } from "../../values/nearest.js";
import type { PageContext } from "../context.js";

/** A routine of the database that saves in the place of an UPDATE, and where each of its arguments comes from. */
export interface RoutineCall {
  readonly routine: Routine;
  readonly arguments: readonly {
    readonly parameter: Routine["parameters"][number];
    readonly from: "form" | "row" | "actor";
    /** A column's name, or an attribute of the actor. */
    readonly name: string;
  }[];
}

const path: Path = ["save", "routine"];

/** Where a parameter's value comes from, as a page file says it: `form.name`, `row.code`, `actor.id`. */
function sourceOf(
  text: string,
  at: Path,
  context: RuleContext,
): Pick<RoutineCall["arguments"][number], "from" | "name"> | null {
  const [, from, name = ""] = /^(form|row|actor)\.(.+)$/.exec(text) ?? [];
  if (from === undefined)
    return context.error("parameter", `"${text}" is no value: write form.COLUMN, row.COLUMN or actor.ATTRIBUTE.`, at);
  if (from !== "actor" && !columnOf(context.table, name)) {
    const known = context.table.columns.map((column) => column.name);
    return context.error("unknown-column", `The table has no column "${name}".${suggestion(name, known)}`, at);
  }
  return { from: from as "form" | "row" | "actor", name };
}

function argumentsOf(
  routine: Routine,
  settings: Readonly<Record<string, string>>,
  context: RuleContext,
): RoutineCall["arguments"] {
  const { table } = context;
  const names = routine.parameters.flatMap((parameter) => parameter.name ?? []);
  for (const name of Object.keys(settings)) {
    if (!names.includes(name))
      context.error("parameter", `The routine has no parameter "${name}".${suggestion(name, names)}`, [
        "save",
        "parameters",
        name,
      ]);
  }
  return routine.parameters.flatMap((parameter): RoutineCall["arguments"] => {
    const { name } = parameter;
    if (name === null || parameter.mode !== "in") {
      context.error(
        "parameter",
        name === null
          ? "The routine has a parameter without a name: only parameters with names can be filled."
          : `The routine's parameter "${name}" is ${parameter.mode}, which can't be filled from a form.`,
        path,
      );
      return [];
    }
    const told = settings[name];
    const source =
      told === undefined
        ? columnOf(table, name) && { from: "form" as const, name }
        : sourceOf(told, ["save", "parameters", name], context);
    if (source) return [{ parameter, ...source }];
    if (told === undefined && !parameter.hasDefault)
      context.error(
        "parameter",
        `The routine's parameter "${name}" is called like no column and has no default: say under parameters where it comes from.`,
        path,
      );
    return [];
  });
}

/** The routine that a page saves through, with its arguments; null where it names none, or one that can't be called. */
export function routineOf(name: string | undefined, context: PageContext): RoutineCall | null {
  const { routines } = context.catalog;
  const parameters = context.given("save", "parameters") as Readonly<Record<string, string>> | undefined;
  if (name === undefined) {
    if (parameters)
      context.error("parameter", "Parameters are those of a routine: name it in save.routine.", ["save", "parameters"]);
    return null;
  }
  const full = (routine: Routine): string => `${routine.schema}.${routine.name}`;
  const found = routines.filter((routine) => full(routine) === name);
  const [routine, ...others] = found;
  if (!routine) {
    const known = [...new Set(routines.map(full))];
    return context.error(
      "unknown-routine",
      `There is no routine "${name}" that this connection may call.${suggestion(name, known)}`,
      path,
    );
  }
  if (others.length > 0)
    return context.error(
      "several-routines",
      `There are ${found.length} routines called "${name}": give the one that saves a name of its own.`,
      path,
    );
  return { routine, arguments: argumentsOf(routine, parameters ?? {}, context) };
}
