import type { DescribedSetting } from "./described.js";
import { describedSettings } from "./index.js";

const row = ({ path, about, details, without }: DescribedSetting): string =>
  `| \`${path.join(".")}\` | ${[about, details].filter(Boolean).join(" ").replaceAll("|", "\\|")} | ${without ?? "needed"} |`;

const tableOf = (settings: readonly DescribedSetting[]): string =>
  ["| name | what it says | without it |", "|---|---|---|", ...settings.map(row)].join("\n");

/** The settings of page files as a page of the documentation, in Markdown. */
export function settingsPage(): string {
  const { page, field } = describedSettings();
  return `# Settings of a page file

All that a page file can say ([the page file](page-file.md) has the rest: addresses, choices, conditions, saving). Made from
\`packages/core/src/settings/\` by \`npm run schema\`.

## Of the page

| name | what it says | without it |
|---|---|---|
| \`format\` | \`loyal-quill/page@1\` | needed |
${page.map(row).join("\n")}

## Of a field

${tableOf(field)}
`;
}
