import type { Field } from "@loyal-quill/core/page/page";
import type { Stored } from "@loyal-quill/core/postgres/statement";
import { kindOf } from "@loyal-quill/core/rules/index";
import type { Rule } from "@loyal-quill/core/rules/rule";

/** The first rule of a field that refuses a value, as far as that can be said without the table. */
export function refusedBy(field: Field, value: Stored, typed: string, except?: Rule): string | null {
  for (const rule of field.rules) {
    if (rule.when || rule === except) continue;
    const kind = kindOf(rule);
    if (value === null && !kind.judgesMissing) continue;
    if (kind.broken?.(rule.demand, { column: field.column, value, text: typed })) return rule.rule;
  }
  return null;
}
