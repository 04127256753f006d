/** A file that was chosen or dropped, as its text. */
interface TextFile {
  readonly name: string;
  readonly text: string;
}

/**
 * Reads the one file that was chosen or dropped, as UTF-8.
 *
 * @param most how long its text may be, in UTF-16 code units
 * @throws in words for who has chosen it, where it can't be taken
 */
export async function readTextFile(files: Iterable<File>, most: number): Promise<TextFile> {
  const [file, ...others] = files;
  if (!file) throw new Error("There is no file in what was dropped.");
  if (others.length > 0) throw new Error(`Only one file can be taken at a time: these are ${others.length + 1}.`);
  const { name, size } = file;
  const tooLarge = new Error(`${name} is too large: at most ${Math.floor(most / 1024)} KiB are taken.`);
  // A code unit has three bytes at most (UTF-8).
  if (size > 3 * most) throw tooLarge;
  const text = await file.text().catch(() => null);
  if (text === null) throw new Error(`${name} can’t be read. If it is a folder, choose a file in it.`);
  if (text.length > most) throw tooLarge;
  if (text.includes("\0")) throw new Error(`${name} is not a text file.`);
  return { name, text };
}
