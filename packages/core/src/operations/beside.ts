import { unavailabilityOf } from "../postgres/unavailable.js";
import { mayMake } from "../steps/access.js";
import type { Outcome, View } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import type { ListView } from "../views/list-view.js";
import { listAgain, listWithoutDatabase } from "./list.js";
import { newForm } from "./new.js";

/** The list beside a form; where the database has gone away, without its rows: what was typed in the form is not lost. */
async function listBeside(trip: Trip): Promise<ListView> {
  try {
    return await listAgain(trip, [], []);
  } catch (error) {
    if (!unavailabilityOf(error)) throw error;
    return listWithoutDatabase(trip, [], [], null);
  }
}

/** A form with its list beside it, or a list with the form of a new record. */
async function wholeOf(trip: Trip, view: View): Promise<View> {
  if (view.what === "form") return { ...view, list: await listBeside(trip) };
  if (view.what === "list") return { ...view, form: mayMake(trip.page, trip.facts) ? await newForm(trip) : null };
  return view;
}

/** What is seen of a page whose list and form stand on one page: both. What the steps have noted stays as it is. */
export async function withBeside(trip: Trip, outcome: Outcome): Promise<Outcome> {
  if (!trip.page.list.beside || outcome.kind === "saved" || outcome.kind === "unchanged") return outcome;
  if (outcome.view.what !== "form" && outcome.view.what !== "list") return outcome;
  return { ...outcome, view: await wholeOf(trip, outcome.view) } as Outcome;
}
