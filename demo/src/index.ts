/** Marrow Vale: the demo's schema, rows, history and people. */
export { type DemoChange, playHistory, storyStation } from "./history.js";
export { addNotes, countNotes, largeSet, notesAtATime } from "./large.js";
export { type DemoPerson, keepers, people } from "./people.js";
export { demoPages, demoVersion, lastMonday, seedVale } from "./seed.js";
export { type DemoRow, makeVale, type Vale } from "./vale.js";
