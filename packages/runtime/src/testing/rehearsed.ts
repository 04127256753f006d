import { type Rehearsal, type RehearsalOptions, rehearse } from "@loyal-quill/authoring/rehearsal";
import { handle, type Page, route } from "@loyal-quill/core";
import { signer, type Trips } from "./trips.js";

/** The page of a name. @throws where there is none, with what is wrong with the files */
export function pageOf(trips: Trips, name: string): Page {
  const { pages, files } = trips.site();
  const page = pages.find((each) => each.name === name);
  if (!page) throw new Error(`no page ${name}: ${JSON.stringify(files.map(({ findings }) => findings))}`);
  return page;
}

/** Rehearses a page with the engine itself, in the quick set unless something else is said. */
export const rehearsed = (
  trips: Trips,
  name: string,
  { people, ...more }: Pick<RehearsalOptions, "people"> & Partial<RehearsalOptions>,
): Promise<Rehearsal> =>
  rehearse({
    page: pageOf(trips, name),
    site: trips.site(),
    people,
    quick: true,
    database: trips.database,
    signer,
    now: () => new Date(),
    newId: () => crypto.randomUUID(),
    elapsed: () => performance.now(),
    engine: { route, handle },
    ...more,
  });
