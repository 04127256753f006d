/** Directives without an entry of their own follow these (CSP Level 3, 6.1); `form-action` follows nothing. */
const fallbacks: Readonly<Record<string, readonly string[]>> = {
  "script-src-elem": ["script-src", "default-src"],
  "style-src-elem": ["style-src", "default-src"],
  "script-src": ["default-src"],
  "style-src": ["default-src"],
  "connect-src": ["default-src"],
  "img-src": ["default-src"],
  "form-action": [],
};

/** What the pages need of which directive (CSP Level 3, 6). One for elements is only joined where the policy has it: else it follows the other. */
const needed: readonly (readonly [directive: string, source: string])[] = [
  ["script-src", "'self'"],
  ["script-src-elem", "'self'"],
  ["connect-src", "'self'"],
  ["style-src", "'self'"],
  ["style-src-elem", "'self'"],
  ["img-src", "data:"],
  ["form-action", "'self'"],
];

/** One policy with what the pages need besides; nothing that it allows or forbids to others is touched. */
function joinOne(policy: string): string {
  const directives = new Map<string, readonly string[]>();
  for (const part of policy.split(";")) {
    const [name = "", ...sources] = part.trim().split(/\s+/);
    // The first of a name counts (CSP Level 3, 2.2.1).
    if (name !== "" && !directives.has(name.toLowerCase())) directives.set(name.toLowerCase(), sources);
  }
  for (const [name, source] of needed) {
    const isForElements = name.endsWith("-elem");
    if (isForElements && !directives.has(name)) continue;
    const rests = directives.get(name) ?? fallbacks[name]?.map((each) => directives.get(each)).find(Boolean);
    // Where the policy says nothing, it allows all.
    if (!rests || rests.includes("*")) continue;
    const kept = rests.filter((source) => source !== "'none'");
    // What a nonce with 'strict-dynamic' allows goes by the nonce alone.
    if (!rests.includes("'strict-dynamic'") && !kept.includes(source)) directives.set(name, [...kept, source]);
  }
  return [...directives].map(([name, sources]) => [name, ...sources].join(" ")).join("; ");
}

/**
 * A policy that the application has set, joined with what the pages need. Several policies, each of which holds, are joined each.
 *
 * @param header as it stands on the answer; undefined where the application sets none
 */
export function joinPolicy(header: string | number | readonly string[] | undefined): string | null {
  if (header === undefined || header === "") return null;
  return [header]
    .flat()
    .join(",")
    .split(",")
    .filter((policy) => policy.trim() !== "")
    .map(joinOne)
    .join(", ");
}

/** The nonce of a policy (CSP Level 3, 2.3.1), by which the pages' own script and style sheet are let through as well. */
export const nonceIn = (header: string | number | readonly string[] | undefined): string | null =>
  /'nonce-([A-Za-z0-9+/_=-]+)'/.exec([header ?? ""].flat().join(","))?.[1] ?? null;
