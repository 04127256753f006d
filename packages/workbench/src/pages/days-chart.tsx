import type { PageSummary } from "@loyal-quill/server/api";
import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip } from "chart.js";
import { styled } from "styled-components";
import { useChart } from "../parts/use-chart.js";

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
  const canvas = useChart(JSON.stringify(days), (colour) => {
    const counts = days.map(parts);
    return {
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
    };
  });
  return (
    <Box>
      <canvas ref={canvas} role="img" aria-label={label} />
    </Box>
  );
}
