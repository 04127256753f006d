import { Chart, type ChartConfiguration, type ChartType } from "chart.js";
import { type RefObject, useEffect, useRef } from "react";

/** A colour of the theme as it is in the scheme that is shown, by the name of its custom property. */
export type Colour = (name: string) => string;

const colour: Colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/**
 * Draws a chart, and draws it anew where what it shows or the colour scheme has changed.
 *
 * @param drawn stands for what is shown: as long as it is the same, the chart stays
 * @param make what is drawn
 * @returns where it is drawn
 */
export function useChart<Type extends ChartType, Data>(
  drawn: string,
  make: (colour: Colour) => ChartConfiguration<Type, Data>,
): RefObject<HTMLCanvasElement | null> {
  const canvas = useRef<HTMLCanvasElement>(null);
  const making = useRef(make);
  making.current = make;
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is drawn stands for what is made of it
  useEffect(() => {
    const scheme = matchMedia("(prefers-color-scheme: dark)");
    let chart: Chart<Type, Data> | undefined;
    const draw = (): void => {
      chart?.destroy();
      if (!canvas.current) return;
      const made = making.current(colour);
      const options = { ...made.options, animation: false, responsive: true, maintainAspectRatio: false } as const;
      chart = new Chart(canvas.current, { ...made, options } as ChartConfiguration<Type, Data>);
    };
    draw();
    scheme.addEventListener("change", draw);
    return () => {
      scheme.removeEventListener("change", draw);
      chart?.destroy();
    };
  }, [drawn]);
  return canvas;
}
