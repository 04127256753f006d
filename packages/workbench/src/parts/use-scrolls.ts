import { type RefObject, useLayoutEffect, useRef, useState } from "react";

/**
 * Whether there is more in an element than is seen of it: then it takes the focus, and is scrolled by keyboard (WCAG 2.2, 2.1.1).
 *
 * @param content what stands in it
 */
export function useScrolls<Of extends HTMLElement>(content: unknown): readonly [RefObject<Of | null>, boolean] {
  const ref = useRef<Of>(null);
  const [scrolls, setScrolls] = useState(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: other content is as high as it is
  useLayoutEffect(() => {
    const element = ref.current;
    if (!element) return;
    const measure = (): void => setScrolls(element.scrollHeight > element.clientHeight);
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => observer.disconnect();
  }, [content]);
  return [ref, scrolls];
}
