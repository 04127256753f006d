export { type BindResult, bindPage } from "./bind.js";
export { referencedChoices } from "./choices.js";
export { controlsFor } from "./controls.js";
export { byPlace, type Finding, isError, type Repair } from "./finding.js";
export { boxName, findName, lookName, saveName, tokenName } from "./names.js";
export * from "./page.js";
export { namesIn, type ParsedPage, type ParseResult, type Path, parsePage } from "./parse.js";
export { encodeSegment, recordAddress } from "./path.js";
export type { FieldSettings, PageFile, RuleSetting, Tidying } from "./schema.js";
