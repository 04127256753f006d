import type { Chance } from "@loyal-quill/testing";
import type { Vale } from "../vale.js";

/** What somebody else does to the records meanwhile, past our pages: what they change, and what goes. */
const doings = [
  "UPDATE network.station SET notes = 'Seen ' || now() WHERE code = (SELECT code FROM network.station ORDER BY random() LIMIT 1)",
  "UPDATE network.station SET name = name || ' E' WHERE code = (SELECT code FROM network.station WHERE length(name) < 40 ORDER BY random() LIMIT 1)",
  "UPDATE network.station SET warning_m = warning_m + 0.01 WHERE code IN ('MV-014', 'MV-022')",
  "UPDATE field.visit SET findings = 'By somebody else' WHERE id = (SELECT id FROM field.visit ORDER BY random() LIMIT 1)",
  "DELETE FROM field.visit WHERE id = (SELECT id FROM field.visit ORDER BY random() LIMIT 1)",
  "UPDATE office.bulletin SET headline = headline || '.' WHERE id = (SELECT id FROM office.bulletin WHERE length(headline) < 60 ORDER BY random() LIMIT 1)",
];

/**
 * Lets somebody else change records until it is told to stop.
 *
 * @returns stops them; resolves with how many of their statements the database took
 */
export function othersAtWork(vale: Vale, chance: Chance): () => Promise<number> {
  let isOver = false;
  const work = async (): Promise<number> => {
    let taken = 0;
    while (!isOver) {
      // What a rule of the table forbids is not done: that is not the matter here.
      const isTaken = await vale.rows(chance.one(doings)).then(
        () => true,
        () => false,
      );
      taken += Number(isTaken);
      await new Promise((resolve) => setTimeout(resolve, 200 + chance.whole(800)));
    }
    return taken;
  };
  const working = work();
  return () => {
    isOver = true;
    return working;
  };
}
