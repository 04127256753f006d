/**
 * Tells something to code of the application's own. What it throws, at once or later, goes to `onError`, and ends nothing of what goes on here.
 *
 * @param call calls it; what it answers is waited for by nobody
 */
export function tell(call: () => unknown, onError: (error: unknown) => void): void {
  try {
    const answer = call();
    if (answer instanceof Promise) answer.catch(onError);
  } catch (error) {
    onError(error);
  }
}
