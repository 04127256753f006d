/**
 * Gives the focus to what is still there after the control that had it has gone: the first of these that is found, or the
 * content as a whole (WCAG 2.2, 2.4.3).
 */
export function focusAfter(...selectors: readonly string[]): void {
  setTimeout(() => {
    if (document.activeElement && document.activeElement !== document.body) return;
    for (const selector of [...selectors, "#main"]) {
      const found = document.querySelector<HTMLElement>(selector);
      if (!found) continue;
      found.focus({ preventScroll: selector === "#main" });
      return;
    }
  }, 150);
}
