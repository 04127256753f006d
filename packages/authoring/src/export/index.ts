/** A page as plain code for Express and `pg`. */
export { type CodeFile, type ExportedPage, exportPage } from "./export.js";
