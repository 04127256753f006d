/** Page files as text: changed, compared and merged without losing what somebody wrote in them. */
export { contentOf } from "@loyal-quill/core/page/content";
export { type ComparedLine, comparedLines, type Difference, differences, editsFor } from "./differences.js";
export { CanNotEdit, editPageFile } from "./edit.js";
export { type MergeConflict, type Merged, mergePageFiles } from "./merge.js";
export { renamedColumn } from "./rename.js";
export { repaired } from "./repair.js";
export { type Subject, subjectsOf } from "./subject.js";
export { type DescribedSettings, differenceInWords, placeInWords, valueText } from "./words.js";
