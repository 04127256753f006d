import { ruleKinds, ruleKindsInFile } from "./index.js";

const fitsText = (fits: readonly string[] | "any"): string => (fits === "any" ? "any" : fits.join(", "));

/** The rules as a page of the documentation, in Markdown. */
export function rulesPage(): string {
  const rows = ruleKindsInFile().map(
    ({ name, inFile: { byName, takes, means, fits } }) =>
      `| \`${name}\` | ${byName ? "yes" : "no"} | ${takes} | ${means} | ${fitsText(fits)} |`,
  );
  const others = ruleKinds()
    .filter(({ inFile }) => !inFile)
    .map(({ name, label }) => `\`${name}\` (${label.toLowerCase()})`);
  return `# Rules

What a page file can demand of a field (\`rules\`, see [the page file](page-file.md#rules)). Each may have \`when\` and \`message\` beside it. Made from
\`packages/core/src/rules/\` by \`npm run schema\`.

| rule | by name alone | takes | what it demands | columns |
|---|---|---|---|---|
${rows.join("\n")}

What a table enforces, or the choices of a page, without being named: ${others.join(", ")}.
`;
}
