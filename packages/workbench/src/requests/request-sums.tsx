import type { RequestSums } from "@loyal-quill/server/api";
import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip } from "chart.js";
import { styled } from "styled-components";
import { figure } from "../parts/figures.js";
import { underlined } from "../parts/inputs.js";
import { useChart } from "../parts/use-chart.js";
import { stepTitle } from "../round-trip/wording.js";

Chart.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip);

const requestsByDay = (count: string | number) =>
  `${count} ${count === "1" ? "request" : "requests"} by day, stopped ones in red`;

const Three = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 1.5fr) minmax(0, 1fr);
  gap: ${({ theme }) => theme.space(8)};
  padding-bottom: ${({ theme }) => theme.space(3)};
  h2 { font-size: 1rem; font-weight: 400; color: ${({ theme }) => theme.soft}; }
  ol { list-style: none; margin: 0; padding: 0; font-size: 0.9375rem; }
  li { display: flex; justify-content: space-between; gap: ${({ theme }) => theme.space(3)}; }
  li button { ${underlined} text-align: start; }
  @media (max-width: 60rem) { grid-template-columns: 1fr; border-bottom: 1px solid ${({ theme }) => theme.edge}; }
`;

const Box = styled.div`
  height: 6.5rem;
`;

const good: ReadonlySet<string> = new Set(["shown", "saved", "unchanged"]);

/** Outcomes by day, a bar a day: below what went through, on top what was stopped. */
function Days({ days }: Pick<RequestSums, "days">) {
  const labels = [...new Set(days.map(({ day }) => day))];
  const count = (day: string, isGood: boolean): number =>
    days.reduce((sum, each) => (each.day === day && good.has(each.outcome) === isGood ? sum + each.count : sum), 0);
  const counts = labels.map((day) => [day, count(day, true), count(day, false)] as const);
  const canvas = useChart(JSON.stringify(counts), (colour) => {
    const bars = (label: string, index: 1 | 2, name: string) => ({
      label,
      data: counts.map((each) => each[index]),
      backgroundColor: colour(name),
      stack: "day",
      maxBarThickness: 28,
    });
    return {
      type: "bar",
      data: {
        labels: counts.map(([day]) => day.slice(5)),
        datasets: [bars("went through", 1, "--edge"), bars("stopped", 2, "--minium")],
      },
      options: {
        plugins: { legend: { display: false }, tooltip: { displayColors: false } },
        scales: {
          x: { stacked: true, grid: { display: false }, ticks: { color: colour("--soft") } },
          y: {
            stacked: true,
            beginAtZero: true,
            ticks: { color: colour("--soft"), maxTicksLimit: 4, precision: 0 },
            grid: { color: colour("--rule") },
          },
        },
      },
    };
  });
  const through = days.reduce((sum, each) => (good.has(each.outcome) ? sum + each.count : sum), 0);
  const all = days.reduce((sum, each) => sum + each.count, 0);
  return (
    <Box>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`${figure(through)} requests went through and ${figure(all - through)} were stopped, over ${labels.length} days`}
      />
    </Box>
  );
}

/** Sums over the requests that are shown: outcomes by day, what refuses most, which steps take longest. */
export default function RequestSumsPane({ sums, onField }: { sums: RequestSums; onField: (field: string) => void }) {
  const slowest = sums.steps.toSorted((a, b) => b.most - a.most).slice(0, 5);
  return (
    <Three>
      <section aria-label="Outcomes by day">
        <h2>
          {requestsByDay(figure(sums.count))}
          {sums.ofNewest && <> (the newest ones only)</>}
        </h2>
        <Days days={sums.days} />
      </section>
      <section>
        <h2>Most common failures</h2>
        <ol>
          {sums.rules.length === 0 && <li>No form was refused.</li>}
          {sums.rules.slice(0, 5).map(({ field, by, count }) => (
            <li key={`${field} ${by}`}>
              <button type="button" onClick={() => onField(field)}>
                <code>{field}</code> {by}
              </button>
              <span>{figure(count)}</span>
            </li>
          ))}
        </ol>
      </section>
      <section>
        <h2>Slowest steps, p50 · p95</h2>
        <ol>
          {slowest.map(({ step, half, most }) => (
            <li key={step}>
              <span>{stepTitle[step as keyof typeof stepTitle] ?? step}</span>
              <code>
                {half.toFixed(1)} · {most.toFixed(1)} ms
              </code>
            </li>
          ))}
        </ol>
      </section>
    </Three>
  );
}
