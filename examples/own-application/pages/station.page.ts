// What this application does with a station's save besides saving it.
import process from "node:process";
import { defineSteps, webhook } from "@loyal-quill/runtime";
import { register } from "../register.js";
import type { Station } from "./tables.js";

const { MAP_URL, MAP_SECRET } = process.env;

export default defineSteps<Station>({
  /** The register of names is another system: it is asked, and given up when the step has taken too long. */
  async check({ form, row, changed, problem, signal }) {
    if (!changed.includes("name") || !form.name) return;
    const holder = await register.holderOf(form.name, signal);
    if (holder !== null && holder !== row?.code)
      problem("name", `The register of names has “${form.name}” for ${holder}.`);
  },

  /** A station that goes live was installed today, unless somebody knows better. */
  beforeWrite({ form, row, set }) {
    if (form.status === "live" && row?.status !== "live" && !form.installed_on)
      set("installed_on", new Date().toISOString().slice(0, 10));
  },

  /** New levels have to be painted on the gauge's board: with the save, or not at all. */
  async inTransaction({ written, actor, query, say }) {
    const level = written.changes.find(({ field }) => field === "warning_m");
    if (!level) return;
    await query("INSERT INTO yard.errand (station, what, asked_by) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING", [
      written.key.code,
      `Paint ${level.new} m on the board`,
      actor.name,
    ]);
    say("an errand for the yard");
  },

  /** The map on the website is told of every change, at least once. */
  afterSave: webhook({
    url: MAP_URL ?? "http://127.0.0.1:3000/hooks/map",
    secret: MAP_SECRET ?? "a secret of the example, for this machine only",
    source: "urn:marrow-vale:yard",
  }),
  outbox: true,
  limit: 2_000,
});
