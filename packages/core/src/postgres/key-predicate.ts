import type { Column } from "../table/model.js";
import { type Parameters, quoted } from "./statement.js";

/** `t."code" = $1::text AND …`: the key is a unique and not-null set of columns, so at most one row. */
export const keyPredicate = (
  key: readonly Column[],
  values: readonly string[],
  parameters: Parameters,
  alias: string,
): string =>
  key
    .map(
      (column, index) => `${alias}.${quoted(column.name)} = ${parameters.add(values[index] ?? null, column.type.cast)}`,
    )
    .join(" AND ");
