import type { PageSummary } from "@loyal-quill/server/api";
import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip } from "chart.js";
import { useEffect, useRef } from "react";
import { styled } from "styled-components";

Chart.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip);

const Box = styled.div`
  width: 9rem;
  height: 2.25rem;
`;

const stopped: ReadonlySet<string> = new Set(["invalid", "refused", "conflict", "not-found", "failed"]);

/** How many requests of a day succeeded, and how many were stopped. */
function parts({ outcomes }: PageSummary["days"][number]): { through: number; stopped: number } {
  let [through, refused] = [0, 0];
  for (const [outcome, count] of Object.entries(outcomes)) {
    if (stopped.has(outcome)) refused += count ?? 0;
    else through += count ?? 0;
  }
  return { through, stopped: refused };
}

const weekday = new Intl.DateTimeFormat("en-GB", { weekday: "short", timeZone: "UTC" });

/** The opens and saves of the last days, a bar a day: below what succeeded, on top what was stopped. */
export default function DaysChart({ days, label }: { days: PageSummary["days"]; label: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (!canvas.current) return;
    const scheme = matchMedia("(prefers-color-scheme: dark)");
    const counts = days.map(parts);
    let chart: Chart | undefined;
    const draw = (): void => {
      chart?.destroy();
      if (!canvas.current) return;
      const colour = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
      chart = new Chart(canvas.current, {
        type: "bar",
        data: {
          labels: days.map(({ day }) => weekday.format(new Date(day))),
          datasets: [
            {
              label: "succeeded",
              data: counts.map(({ through }) => through),
              backgroundColor: colour("--edge"),
              stack: "day",
            },
            {
              label: "stopped",
              data: counts.map((count) => count.stopped),
              backgroundColor: colour("--minium"),
              stack: "day",
            },
          ],
        },
        options: {
          animation: false,
          responsive: true,
          maintainAspectRatio: false,
          plugins: { legend: { display: false }, tooltip: { displayColors: false } },
          scales: {
            x: {
              stacked: true,
              ticks: { display: false },
              grid: { display: false },
              border: { color: colour("--edge") },
            },
            y: { display: false, stacked: true, beginAtZero: true, suggestedMax: 4 },
          },
        },
      });
    };
    draw();
    scheme.addEventListener("change", draw);
    return () => {
      scheme.removeEventListener("change", draw);
      chart?.destroy();
    };
  }, [days]);
  return (
    <Box>
      <canvas ref={canvas} role="img" aria-label={label} />
    </Box>
  );
}
