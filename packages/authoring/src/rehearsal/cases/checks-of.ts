import type { Condition } from "@loyal-quill/core/condition/expression";
import type { Page } from "@loyal-quill/core/page/page";
import { tableChecks } from "@loyal-quill/core/steps/table-checks";

/** What fields of a page demand of each other: its own checks, and the table's CHECKs that are judged with the form. */
export const checksOf = (page: Page): readonly { readonly condition: Condition }[] => [
  ...page.checks,
  ...tableChecks(page),
];
