/** What the pages need of a Content-Security-Policy (CSP Level 3, 6): sources by directive. */
export interface Needs {
  readonly script: boolean;
  readonly style: boolean;
}

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

/** What is needed of which directive. One for elements is only joined where the policy has it: else it follows the other. */
function needed({ script, style }: Needs): readonly (readonly [directive: string, sources: readonly string[]])[] {
  const own = ["'self'"];
  return [
    ...(script
      ? ([
          ["script-src", own],
          ["script-src-elem", own],
          ["connect-src", own],
        ] as const)
      : []),
    ...(style
      ? ([
          ["style-src", own],
          ["style-src-elem", own],
        ] as const)
      : []),
    ["img-src", ["data:"]],
    ["form-action", own],
  ];
}

/** One policy with what the pages need besides; nothing that it allows or forbids to others is touched. */
function joinOne(policy: string, needs: Needs): string {
  const directives = new Map<string, readonly string[]>();
  for (const part of policy.split(";")) {
    const [name = "", ...sources] = part.trim().split(/\s+/);
    // The first of a name counts (CSP Level 3, 2.2.1).
    if (name !== "" && !directives.has(name.toLowerCase())) directives.set(name.toLowerCase(), sources);
  }
  for (const [name, sources] of needed(needs)) {
    const isForElements = name.endsWith("-elem");
    if (isForElements && !directives.has(name)) continue;
    const rests = directives.get(name) ?? fallbacks[name]?.map((each) => directives.get(each)).find(Boolean);
    // Where the policy says nothing, it allows all.
    if (!rests || rests.includes("*")) continue;
    const kept = rests.filter((source) => source !== "'none'");
    // What a nonce with 'strict-dynamic' allows goes by the nonce alone.
    const missing = rests.includes("'strict-dynamic'") ? [] : sources.filter((source) => !kept.includes(source));
    if (missing.length > 0) directives.set(name, [...kept, ...missing]);
  }
  return [...directives].map(([name, sources]) => [name, ...sources].join(" ")).join("; ");
}

/**
 * A policy that the application has set, joined with what the pages need. Several policies, each of which holds, are joined each.
 *
 * @param header as it stands on the answer; undefined where the application sets none
 */
export function joinPolicy(header: string | number | readonly string[] | undefined, needs: Needs): string | null {
  if (header === undefined || header === "") return null;
  return [header]
    .flat()
    .join(",")
    .split(",")
    .filter((policy) => policy.trim() !== "")
    .map((policy) => joinOne(policy, needs))
    .join(", ");
}

/** The nonce of a policy (CSP Level 3, 2.3.1), by which the pages' own script and style sheet are let through as well. */
export const nonceIn = (header: string | number | readonly string[] | undefined): string | null =>
  /'nonce-([A-Za-z0-9+/_=-]+)'/.exec([header ?? ""].flat().join(","))?.[1] ?? null;
