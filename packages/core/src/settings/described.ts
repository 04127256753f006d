import type { AnySetting, Described, Group, Settings } from "./setting.js";

/** A setting as data, with its place in the file. */
export interface DescribedSetting extends Described {
  readonly path: readonly string[];
}

/** A text for people without the marks of Markdown. */
export const plainText = (text: string): string => text.replaceAll("`", "").replaceAll(/\[([^\]]+)\]\([^)]*\)/g, "$1");

const described = (
  path: readonly string[],
  entry: AnySetting | Group<Readonly<Record<string, AnySetting>>>,
): DescribedSetting[] => {
  if ("settings" in entry)
    return Object.entries(entry.settings).flatMap(([name, each]) => described([...path, name], each));
  const { label, words, about, details, without, editor, step, fits, with: sibling, rare, columns } = entry;
  const given = { label, words, about, details, without, editor, step, fits, with: sibling, rare, columns, path };
  return [
    Object.fromEntries(Object.entries(given).filter(([, value]) => value !== undefined)) as unknown as DescribedSetting,
  ];
};

/** All settings of a list, groups opened, in its order. */
export const describe = (settings: Settings): readonly DescribedSetting[] =>
  Object.entries(settings).flatMap(([name, entry]) => described([name], entry));

/** What undo and a list of differences call a setting. */
export const wordsOf = ({ label, words }: Described): string => words ?? label[0]?.toLowerCase() + label.slice(1);
