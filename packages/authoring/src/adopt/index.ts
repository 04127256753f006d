export { type Adopted, type AdoptedControl, adoptForm, type FormSource } from "./adopt.js";
export { type FormFindingCode, formFindingKinds } from "./finding-kinds.js";
export type { FormFinding } from "./findings.js";
export { keyOfForm, tablesOfForm } from "./table-of.js";
export { isTemplate } from "./template.js";
