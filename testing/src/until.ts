/** Longer than anything takes that comes at all, on a machine that is busy with other work; in milliseconds. */
export const patience = 60_000;

/**
 * Waits until something is so, looking again every few milliseconds.
 *
 * @throws after a minute, naming what was waited for
 */
export async function until(isSo: () => boolean | Promise<boolean>, what = isSo.toString()): Promise<void> {
  for (const begun = performance.now(); !(await isSo()); ) {
    if (performance.now() - begun > patience) throw new Error(`It did not come to be within a minute: ${what}`);
    await new Promise((resolve) => setTimeout(resolve, 10));
  }
}

/**
 * Asks until the answer is as wanted.
 *
 * @returns that answer
 * @throws after a minute, with the last one
 */
export async function untilAnswered<Answer>(
  ask: () => Promise<Answer>,
  isWanted: (answer: Answer) => boolean,
): Promise<Answer> {
  let answer!: Answer;
  const isSo = async (): Promise<boolean> => {
    answer = await ask();
    return isWanted(answer);
  };
  await until(isSo, isWanted.toString()).catch((error: Error) => {
    throw new Error(`${error.message}; answered: ${JSON.stringify(answer)?.slice(0, 1000)}`);
  });
  return answer;
}
