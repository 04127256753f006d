export { type BindResult, bindPage, tokenName } from "./bind.js";
export type { Finding } from "./finding.js";
export * from "./page.js";
export { type ParsedPage, type ParseResult, parsePage } from "./parse.js";
export { encodeSegment, recordAddress } from "./path.js";
export { fillTemplate } from "./template.js";
