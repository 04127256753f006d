/** What stands beside the page: table and rules, one of the panes, or nothing. */
export const views = {
  rules: "Rules",
  file: "File",
  census: "Census",
  statements: "Statements",
  versions: "Versions",
  list: "List",
  page: "Page",
};
export type View = keyof typeof views;
