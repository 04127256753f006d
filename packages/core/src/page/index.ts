export { type BindResult, bindPage } from "./bind.js";
export { controlsFor } from "./controls.js";
export { byPlace, type Finding, isError } from "./finding.js";
export { boxName, findName, lookName, saveName, tokenName } from "./names.js";
export * from "./page.js";
export { type ParsedPage, type ParseResult, parsePage } from "./parse.js";
export { encodeSegment, recordAddress } from "./path.js";
export type { FieldSettings, PageFile, RuleSetting, Tidying } from "./schema.js";
export { fillTemplate } from "./template.js";
