import { mkdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { demoPages } from "@loyal-quill/demo";

/**
 * The stations' page under so many addresses, without the pages that it names: they are not there, and so many warnings would be told.
 *
 * @returns the directory, which is made
 */
export async function stationPages(directory: string, count: number): Promise<string> {
  const text = (await readFile(new URL("station.page.yaml", demoPages), "utf8")).replace(
    /^related:.*\n(?:[ -].*\n)*/m,
    "",
  );
  await mkdir(directory);
  for (let index = 0; index < count; index++)
    await writeFile(
      path.join(directory, `page-${index}.page.yaml`),
      text.replace("path: /stations/", `path: /stations-${index}/`),
    );
  return directory;
}
