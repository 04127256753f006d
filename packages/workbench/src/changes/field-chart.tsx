import { CategoryScale, Chart, LinearScale, LineController, LineElement, PointElement, Tooltip } from "chart.js";
import { styled } from "styled-components";
import { momentText } from "../parts/moment.js";
import { useChart } from "../parts/use-chart.js";
import { useZone } from "../parts/zone.js";

Chart.register(LineController, LineElement, PointElement, CategoryScale, LinearScale, Tooltip);

const Box = styled.div`
  height: 10rem;
`;

interface Point {
  readonly at: string;
  readonly value: string | null;
}

/** A numeric field's values over time: each holds until the next, so the line goes in steps. */
export default function FieldChart({ label, values }: { label: string; values: readonly Point[] }) {
  const zone = useZone();
  const canvas = useChart(JSON.stringify([label, values, zone]), (colour) => {
    // Places on the line are as far from one another as the moments are.
    const data = values.map(({ at, value }) => ({ x: Date.parse(at), y: value === null ? Number.NaN : Number(value) }));
    const last = data.at(-1);
    if (last) data.push({ x: Date.now(), y: last.y });
    return {
      type: "line",
      data: {
        datasets: [
          {
            label,
            data,
            stepped: "before",
            borderColor: colour("--verdigris"),
            backgroundColor: colour("--verdigris"),
            borderWidth: 2,
            pointRadius: 3,
          },
        ],
      },
      options: {
        parsing: false,
        plugins: {
          legend: { display: false },
          tooltip: {
            displayColors: false,
            callbacks: { title: ([item]) => momentText("dayTime", item?.parsed.x ?? 0, zone) },
          },
        },
        scales: {
          x: {
            type: "linear",
            min: data[0]?.x ?? 0,
            max: Date.now(),
            ticks: {
              color: colour("--soft"),
              maxTicksLimit: 5,
              maxRotation: 0,
              callback: (value) => momentText("dayTime", Number(value), zone),
            },
            grid: { display: false },
          },
          y: { ticks: { color: colour("--soft"), maxTicksLimit: 5 }, grid: { color: colour("--rule") } },
        },
      },
    };
  });
  return (
    <Box>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`${label} over time, ${values.length} values; they are listed below`}
      />
    </Box>
  );
}
