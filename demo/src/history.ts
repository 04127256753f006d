import { type DemoPerson, people } from "./people.js";
import { Seeded } from "./random.js";
import { type DemoRow, day, momentText, type Vale } from "./vale.js";

/** One entry of the demo's change log. */
export interface DemoChange {
  readonly at: string;
  readonly actor: DemoPerson;
  readonly page: string;
  readonly table: string;
  readonly key: DemoRow;
  readonly fields: readonly { field: string; old: string | null; new: string | null }[];
  readonly requestId: string;
  readonly reason: string | null;
}

type Edit = (row: DemoRow, random: Seeded, at: number) => DemoRow;

interface Habit {
  readonly page: string;
  readonly table: string;
  readonly keys: readonly string[];
  readonly rows: (vale: Vale) => DemoRow[];
  readonly roles: readonly DemoPerson["role"][];
  readonly edits: readonly Edit[];
  readonly share: number;
}

const levelStep = (value: string | null | undefined, step: number): string => (Number(value) + step).toFixed(2);
const notes = [
  "Board cleaned.",
  "Reading checked against the staff gauge.",
  "Vegetation cut back.",
  "Cable replaced after the storm.",
  "Key now with the lock keeper.",
  "Bank slipped upstream; watch the intake.",
];

const habits: readonly Habit[] = [
  {
    page: "station",
    table: "network.station",
    keys: ["code"],
    rows: (vale) => vale.station,
    roles: ["hydrologist", "technician"],
    share: 0.42,
    edits: [
      (_, random) => ({ notes: random.pick(notes) }),
      (row, random) => ({
        notes: row.notes ? `${row.notes.split("\n")[0]}\n${random.pick(notes)}` : random.pick(notes),
      }),
      (row, random) => ({ warning_m: levelStep(row.warning_m, random.whole(1, 12) / 100) }),
      (row) => ({ telemetry: row.telemetry === "true" ? "false" : "true" }),
      (row) => (row.status === "live" ? { status: "suspended" } : row.status === "suspended" ? { status: "live" } : {}),
    ],
  },
  {
    page: "sensor",
    table: "network.sensor",
    keys: ["station_code", "channel"],
    rows: (vale) => vale.sensor,
    roles: ["technician", "hydrologist"],
    share: 0.38,
    edits: [
      (row, random, at) => ({
        offset_m: (Number(row.offset_m) + random.whole(-40, 40) / 10_000).toFixed(4),
        calibrated_at: momentText(at - random.whole(60, 3000) * 1000, random.whole(0, 999)),
      }),
      (row) => ({ in_service: row.in_service === "true" ? "false" : "true" }),
      (_, random) => ({ remarks: random.pick(notes) }),
    ],
  },
  {
    page: "bulletin",
    table: "office.bulletin",
    keys: ["slug"],
    rows: (vale) => vale.bulletin,
    roles: ["duty-officer", "hydrologist"],
    share: 0.12,
    edits: [
      (row, random) => ({
        body: `${(row.body ?? "").split("\n\n")[0]}\n\nThe duty desk answers on 01632 960${random.whole(100, 999)}.`,
      }),
      (row, random) => ({
        publish_at: momentText(
          Date.parse(`${(row.publish_at ?? "").slice(0, 10)}T00:00:00Z`) + random.whole(6, 20) * 3_600_000,
        ),
      }),
    ],
  },
  {
    page: "visit",
    table: "field.visit",
    keys: ["id"],
    rows: (vale) => vale.visit,
    roles: ["technician"],
    share: 0.08,
    edits: [
      (_, random) => ({ findings: random.pick(notes) }),
      (row, random) => ({ level_read_m: ((Number(row.level_read_m) || 1) + random.whole(-9, 9) / 1000).toFixed(3) }),
    ],
  },
];

/** The habit whose share of the whole a number from 0 to 1 falls into. */
function pickHabit(number: number): Habit | undefined {
  let before = 0;
  return habits.find((habit) => {
    before += habit.share;
    return number < before;
  });
}

/** Applies an edit to a row and says what differed. */
function applied(row: DemoRow, edit: DemoRow): DemoChange["fields"] {
  const fields = Object.entries(edit).flatMap(([field, value]) =>
    row[field] === value ? [] : [{ field, old: row[field] ?? null, new: value }],
  );
  Object.assign(row, edit);
  return fields;
}

/** Hydrologists keep to the stations of their region, as the station page demands. */
const maySave = (person: DemoPerson, habit: Habit, row: DemoRow): boolean =>
  habit.roles.includes(person.role) &&
  (person.role !== "hydrologist" || row.region_id === undefined || row.region_id === String(person.regionId));

const keyOf = (row: DemoRow, keys: readonly string[]): DemoRow =>
  Object.fromEntries(keys.map((name) => [name, row[name] ?? null]));

const personOf = (name: string): DemoPerson => {
  const person = people.find((each) => each.name === name);
  if (!person) throw new RangeError(`${name} is not among the demo's people.`);
  return person;
};

/** The station of the story, and the week of the log in which it happens. */
export const storyStation = "MV-014";
const storyWeek = 19;

interface Told {
  readonly at: number;
  readonly by: DemoPerson;
  readonly edit: (row: DemoRow) => DemoRow;
  readonly reason: string | null;
}

/** The changes of the story: in week 19 a warning level is raised by a slip of the keyboard, noticed two days later, and put back. */
function story(start: number): Told[] {
  const tuesday = start + (storyWeek - 1) * 7 * day + day;
  let before: string | null = null;
  return [
    {
      at: tuesday + 16 * 3_600_000 + 52 * 60_000,
      by: personOf("Hollis Brandt"),
      edit: (row) => {
        before = row.warning_m ?? null;
        return { warning_m: levelStep(row.warning_m, 10), notes: "Warning level reviewed after the September survey." };
      },
      reason: null,
    },
    {
      at: tuesday + 2 * day + 9 * 3_600_000 + 7 * 60_000,
      by: personOf("Lotte Haas"),
      edit: () => ({ warning_m: before }),
      reason: "A digit too many: ten metres too high since Tuesday.",
    },
  ];
}

/**
 * Plays six months of editing on the demo's rows, which are left as they are at the end.
 *
 * @param end as given to `makeVale`
 * @param count how many entries the log shall have, about
 */
export function playHistory(vale: Vale, end: number, count = 2000): DemoChange[] {
  const random = new Seeded(20_260_119);
  const start = end - 26 * 7 * day;
  const told = story(start);
  const moments = Array.from({ length: count }, (): { at: number; told?: Told } => {
    const date = start + random.whole(0, 26 * 7 - 1) * day;
    return { at: date + random.whole(7 * 3600, 18 * 3600) * 1000 + random.whole(0, 999) };
  });
  moments.push(...told.map((part) => ({ at: part.at, told: part })));
  const changes: DemoChange[] = [];
  const push = (
    at: number,
    actor: DemoPerson,
    habit: Habit,
    row: DemoRow,
    edit: DemoRow,
    reason: string | null,
  ): void => {
    const key = keyOf(row, habit.keys);
    const fields = applied(row, edit);
    if (fields.length === 0) return;
    changes.push({
      at: momentText(at, random.whole(0, 999)),
      actor,
      page: habit.page,
      table: habit.table,
      key,
      fields,
      requestId: random.uuid(),
      reason,
    });
  };
  const stationHabit = habits[0] as Habit;
  const storyRow = vale.station.find((row) => row.code === storyStation);
  const from = Math.min(...told.map((part) => part.at));
  const to = Math.max(...told.map((part) => part.at));
  for (const moment of moments.sort((a, b) => a.at - b.at)) {
    if (moment.told) {
      if (storyRow)
        push(moment.at, moment.told.by, stationHabit, storyRow, moment.told.edit(storyRow), moment.told.reason);
      continue;
    }
    const habit = pickHabit(random.next()) ?? stationHabit;
    const row = random.pick(habit.rows(vale));
    // Nobody touches the story's station between the slip and its repair.
    if (row === storyRow && moment.at >= from && moment.at <= to) continue;
    const actors = people.filter(
      (person) => maySave(person, habit, row) && (person.active || moment.at < start + 60 * day),
    );
    push(moment.at, random.pick(actors), habit, row, random.pick(habit.edits)(row, random, moment.at), null);
  }
  return changes;
}
