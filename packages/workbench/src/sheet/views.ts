import { texts } from "../texts.js";

/** What stands beside the page: table and rules, one of the panes, or nothing. */
export const views = texts.views;
export type View = keyof typeof views;
