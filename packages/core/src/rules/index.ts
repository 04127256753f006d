import { Registry } from "../values/registry.js";
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

/** The only list of our rules. Of those that a field breaks, the first in its order is told. */
const ours: readonly AnyRule[] = [
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

const registry = new Registry<AnyRule>("rule", ours);

/** Adds a rule, in this whole process. */
export const addRule = registry.add.bind(registry);

/** Takes back what was added. */
export const forgetRules = registry.forget.bind(registry);

/** Counts up with everything that is added. */
export const rulesVersion = (): number => registry.version;

/** All rules: ours, and after them a developer's own. */
export const ruleKinds = (): readonly AnyRule[] => registry.all;

/** What is known of a rule that a page has. */
export function kindOf({ rule }: Pick<Rule, "rule">): AnyRule {
  const kind = registry.get(rule);
  if (!kind) throw new Error(`There is no rule "${rule}".`);
  return kind;
}

type RuleInFile = AnyRule & { readonly inFile: NonNullable<AnyRule["inFile"]> };
const isInFile = (kind: AnyRule): kind is RuleInFile => Boolean(kind.inFile);

let inFile: { readonly version: number; readonly kinds: readonly RuleInFile[] } | undefined;

/** The rules that a page file can name. */
export function ruleKindsInFile(): readonly RuleInFile[] {
  if (inFile?.version !== registry.version) inFile = { version: registry.version, kinds: ruleKinds().filter(isInFile) };
  return inFile.kinds;
}
