import { people } from "./people.js";
import { Seeded } from "./random.js";

/** A row of the demo: column names to PostgreSQL's text forms. */
export type DemoRow = Record<string, string | null>;

/** The rows of the demo by table, in the order in which they can be inserted. */
export interface Vale {
  readonly region: DemoRow[];
  readonly river: DemoRow[];
  readonly station: DemoRow[];
  readonly sensor: DemoRow[];
  readonly person: DemoRow[];
  readonly bulletin: DemoRow[];
  readonly visit: DemoRow[];
  readonly calibration: DemoRow[];
  readonly loan: DemoRow[];
}

const regions = ["Upper Vale", "Middle Vale", "Lower Vale", "Estuary"];
const rivers = [
  "Marrow",
  "Little Marrow",
  "Sallow",
  "Withy Brook",
  "Hollin Water",
  "Embersike",
  "Fallow Beck",
  "Quern",
  "Redmire Burn",
  "Osier",
  "Thrush Beck",
  "Tarnlet",
];
const first = [
  "Alder",
  "Otter",
  "Millrace",
  "Heron",
  "Stonecrop",
  "Ferryman's",
  "Kingcup",
  "Bracken",
  "Tollgate",
  "Lantern",
  "Swallow",
  "Cooper's",
];
const second = ["Bridge", "Weir", "Lock", "Ford"];
const remarks = [
  "Access by the towpath; the gate's key hangs in the van.",
  "Board repainted, figures legible again.\nSilt removed from the intake.",
  "Reads two millimetres low in frost.",
  "Nettles. Bring gloves & a <long> rake.",
  "Stilling well flushed; level steady afterwards.",
  "The landowner asks for a call the day before.",
  "Battery at 11.9 V, replaced.",
  "No remarks.",
];

/** A moment in PostgreSQL's text form, UTC, with microseconds. */
export const momentText = (milliseconds: number, microseconds = 0): string => {
  const iso = new Date(milliseconds).toISOString();
  const fraction = `${iso.slice(20, 23)}${String(microseconds).padStart(3, "0")}`.replace(/0+$/, "");
  return `${iso.slice(0, 10)} ${iso.slice(11, 19)}${fraction ? `.${fraction}` : ""}+00`;
};

export const day = 86_400_000;
const dateText = (milliseconds: number): string => new Date(milliseconds).toISOString().slice(0, 10);

function stations(random: Seeded): DemoRow[] {
  return Array.from({ length: 48 }, (_, index) => {
    const alert = random.whole(80, 320) / 100;
    const status =
      index % 16 === 15 ? "retired" : index % 12 === 7 ? "suspended" : index % 17 === 3 ? "planned" : "live";
    return {
      code: `MV-${String(index + 1).padStart(3, "0")}`,
      name: `${first[index % 12]} ${second[Math.floor(index / 12)]}`,
      river_id: String(((index * 5) % 12) + 1),
      region_id: String(Math.floor(index / 12) + 1),
      grid_reference: `MV ${random.whole(100, 999)} ${String(100 + index * 17).slice(-3)}`,
      status,
      alert_m: alert.toFixed(2),
      warning_m: (alert + random.whole(30, 140) / 100).toFixed(2),
      telemetry: String(status === "live" && random.chance(0.8)),
      installed_on:
        status === "planned"
          ? null
          : `${random.whole(1962, 2024)}-${String(random.whole(1, 12)).padStart(2, "0")}-${String(random.whole(1, 28)).padStart(2, "0")}`,
      notes: random.chance(0.7) ? random.pick(remarks) : null,
    };
  });
}

function sensors(random: Seeded, all: readonly DemoRow[], end: number): DemoRow[] {
  const kinds = ["level", "flow", "temperature", "rainfall"];
  return all.flatMap((station, index) =>
    Array.from(
      { length: index % 12 === 0 ? 2 : 3 },
      (_, channel): DemoRow => ({
        station_code: station.code ?? "",
        channel: String(channel + 1),
        kind: kinds[(channel + (channel > 0 ? index : 0)) % 4] ?? "level",
        serial_number: `QG${String(20_000 + index * 40 + channel * 7)}`,
        offset_m: (random.whole(-5000, 15_000) / 10_000).toFixed(4),
        calibrated_at: random.chance(0.9)
          ? momentText(end - random.whole(10, 700) * day + random.whole(0, day), random.whole(0, 999))
          : null,
        in_service: String(random.chance(0.93)),
        settings: JSON.stringify({ interval: random.pick([5, 10, 15]), unit: channel === 2 ? "°C" : "m" })
          .replaceAll(":", ": ")
          .replaceAll(",", ", "),
        tags: random.chance(0.5) ? "{}" : `{${random.pick(["spare-on-shelf", "solar", "frost-proof"])}}`,
        remarks: random.chance(0.3) ? random.pick(remarks) : null,
      }),
    ),
  );
}

function bulletins(random: Seeded, end: number): DemoRow[] {
  const authors = people.filter((person) => person.role !== "technician" && person.role !== "builder");
  const subjects = [
    "High water expected on the",
    "Gauges serviced along the",
    "Low flow on the",
    "Footpath closed beside the",
    "Flood exercise on the",
  ];
  return Array.from({ length: 60 }, (_, index) => {
    const headline = `${random.pick(subjects)} ${rivers[index % 12]}${index >= 12 ? `, notice ${Math.floor(index / 12) + 1}` : ""}`;
    const author = random.pick(authors);
    const state = index > 52 ? "planned" : index % 19 === 11 ? "withdrawn" : "published";
    const slug = `${headline.toLowerCase().replaceAll(/[^a-z0-9]+/g, "-")}-${index + 1}`;
    const at = state === "planned" ? end + random.whole(1, 20) * day : end - random.whole(1, 180) * day;
    return {
      slug,
      headline,
      body: `${random.pick(remarks)}\n\nWritten for the riverside parishes. The duty desk answers on 01632 960${random.whole(100, 999)}.`,
      state,
      publish_at: momentText(at + random.whole(6, 20) * 3_600_000),
      author_id: author.id,
      team: author.team,
    };
  });
}

/** Seconds of an hour as people write them down: full minutes, and now and then a device's own. */
const typed = (seconds: number): number => (seconds % 8 === 0 ? seconds : seconds - (seconds % 60));

function visits(random: Seeded, all: readonly DemoRow[], end: number): DemoRow[] {
  const visitors = people.filter((person) => person.role === "technician");
  return Array.from({ length: 400 }, () => {
    const station = random.pick(all);
    const at =
      end - random.whole(1, 360) * day + random.whole(8, 17) * 3_600_000 + typed(random.whole(0, 3_599)) * 1000;
    return {
      id: random.uuid(),
      station_code: station.code ?? "",
      visitor_id: random.pick(visitors).id,
      visited_at: momentText(at),
      level_read_m: random.chance(0.9) ? (random.whole(200, 2900) / 1000).toFixed(3) : null,
      findings: random.pick(remarks),
      follow_up_on: random.chance(0.25) ? dateText(at + random.whole(7, 60) * day) : null,
    };
  });
}

function loans(random: Seeded): DemoRow[] {
  return Array.from({ length: 30 }, (_, index) => ({
    LoanNo: String(1001 + index),
    InstrumentCode: `${random.pick(["LVL", "FLW", "THM"])}-${random.whole(10, 99)}`,
    BorrowedBy: index === 17 ? null : random.pick(people).name,
    DepositAmount: (random.whole(0, 40) * 12.5).toFixed(2),
    DueDate: `${String(random.whole(1, 28)).padStart(2, "0")}.${String(random.whole(1, 12)).padStart(2, "0")}.20${random.whole(19, 26)}`,
    Returned: index < 22 ? "true" : index % 3 === 0 ? null : "false",
  }));
}

/** One calibration of every sensor that was ever calibrated, on that day. */
function calibrations(sensor: readonly DemoRow[]): DemoRow[] {
  const technicians = people.filter((person) => person.role === "technician");
  return sensor.flatMap((row, index) =>
    row.calibrated_at
      ? [
          {
            station_code: row.station_code ?? "",
            channel: row.channel ?? "",
            done_by: technicians[index % technicians.length]?.id ?? "",
            done_on: row.calibrated_at.slice(0, 10),
            method: ["staff gauge", "levelling", "reference sensor"][index % 3] ?? "",
            deviation_m: (((index * 37) % 120) / 1000 - 0.06).toFixed(4),
            remarks: index % 5 === 0 ? (remarks[index % remarks.length] ?? null) : null,
          },
        ]
      : [],
  );
}

/**
 * Makes the demo's rows as they were before the first entry of the log.
 *
 * @param end the moment at which the demo's six months end, in milliseconds since 1970
 */
export function makeVale(end: number): Vale {
  const random = new Seeded(19);
  const station = stations(random);
  const made = madeWith(random, station, end);
  return { ...made, calibration: calibrations(made.sensor) };
}

function madeWith(random: Seeded, station: DemoRow[], end: number): Omit<Vale, "calibration"> {
  return {
    region: regions.map((name, index) => ({ name, duty_telephone: `01632 960${101 + index}` })),
    river: rivers.map((name) => ({ name, length_km: (random.whole(31, 740) / 10).toFixed(1) })),
    station,
    sensor: sensors(random, station, end - 183 * day),
    person: people.map((person, index) => ({
      id: person.id,
      name: person.name,
      email: person.email,
      telephone: `01632 960${200 + index}`,
      role: person.role,
      home_region_id: person.regionId === null ? null : String(person.regionId),
      active: String(person.active),
    })),
    bulletin: bulletins(random, end),
    visit: visits(random, station, end),
    loan: loans(random),
  };
}
