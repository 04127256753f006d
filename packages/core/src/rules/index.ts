import { eMail } from "./e-mail.js";
import { exists } from "./exists.js";
import { max } from "./max.js";
import { maxLength } from "./max-length.js";
import { maxSize } from "./max-size.js";
import { mediaTypes } from "./media-types.js";
import { min } from "./min.js";
import { minLength } from "./min-length.js";
import { offered } from "./offered.js";
import { oneOf } from "./one-of.js";
import { pattern } from "./pattern.js";
import { required } from "./required.js";
import type { Rule, RuleKind } from "./rule.js";
import { scale } from "./scale.js";
import { step } from "./step.js";
import { telephone } from "./telephone.js";
import { unique } from "./unique.js";
import { webAddress } from "./web-address.js";

/** A rule's own demand and setting are its file's; seen from outside they are any. */
// biome-ignore lint/suspicious/noExplicitAny: see above
export type AnyRule = RuleKind<any, any>;

/** The only list of rules. Of those that a field breaks, the first in its order is told. */
export const ruleKinds: readonly AnyRule[] = [
  required,
  minLength,
  maxLength,
  maxSize,
  mediaTypes,
  min,
  max,
  step,
  scale,
  pattern,
  eMail,
  webAddress,
  telephone,
  oneOf,
  unique,
  exists,
  offered,
];

const byName: ReadonlyMap<string, AnyRule> = new Map(ruleKinds.map((kind) => [kind.name, kind]));

/** What is known of a rule that a page has. */
export function kindOf({ rule }: Pick<Rule, "rule">): AnyRule {
  const kind = byName.get(rule);
  if (!kind) throw new Error(`There is no rule "${rule}".`);
  return kind;
}

/** The rules that a page file can name. */
export const ruleKindsInFile = ruleKinds.flatMap((kind) => (kind.inFile ? [{ ...kind, inFile: kind.inFile }] : []));
