/** Longer than anything takes that comes at all, on a machine that is busy with other work. */
const longest = 60_000;

/**
 * Waits until something is so, looking again every few milliseconds.
 *
 * @throws after a minute, naming what was waited for
 */
export async function until(isSo: () => boolean | Promise<boolean>, what = isSo.toString()): Promise<void> {
  for (const begun = performance.now(); !(await isSo()); ) {
    if (performance.now() - begun > longest) throw new Error(`It did not come to be within a minute: ${what}`);
    await new Promise((resolve) => setTimeout(resolve, 10));
  }
}
