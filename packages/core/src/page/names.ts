/**
 * The names of a form's own controls beside those of its fields. They hold a dot, and a column that is called like the token is
 * refused when the page is bound.
 */

/** The hidden control that carries the form's token. */
export const tokenName = "quill.token";

/** The button that saves, pressed by hand; a line that was sent by the enter key has no button's name. */
export const saveName = "quill.save";

/** The control in which a save says why. */
export const reasonName = "quill.reason";

/** The buttons that put what is stored in the place of what was typed; their value is the column's name. */
export const takeName = "quill.take";

/** The fields at which somebody else's value stands beside what was typed, as a JSON array of columns. */
export const conflictsName = "quill.conflicts";

/** The buttons that ask for a field's choices; their value is the column's name. */
export const searchButtonName = "quill.look";

/** The text to look for among a field's choices. */
export const searchTextName = (column: string): string => `quill.find:${column}`;

/** Before the name of a column in the address of a new record: a value to begin with. */
export const withPrefix = "with.";

/** Before the name of a key's column in the address of a new record: the record that it is copied from. */
export const copyPrefix = "copy.";

/** The dates that were begun and not finished, as a JSON array of their controls' names: the script says so, since a browser sends nothing for them. */
export const unfinishedName = "quill.unfinished";

/** In the address of a record's form: the number of one's own change in the log that is to be taken back. */
export const undoName = "undo";

/** In the address of a list: the key of the record whose form is wanted, where the key has one part. */
export const keyName = "key";

/** In the address of a list, from its search: where one record alone is found, its form is wanted. */
export const straightName = "straight";

/** In the address of a list: what has the words as a value, in full, is no answer by itself. */
export const everywhereName = "everywhere";

/** In the address of a form that stands in a view of the application's own: where a save leads back to. */
export const backName = "back";

/** The file that is uploaded; what was looked at of one and goes along to be saved; and before a row's number the value that is chosen in a conflict. */
export const fileName = "quill.file";
export const carriedName = "quill.rows";
export const chosenName = "quill.choice:";

/** What stands for the session in which a file was looked at: in another one it is looked at once more before it is saved. */
export const sessionName = "quill.session";

/** Whether rows without a mark are to be new records; the rows that could not be saved, and in which format they are wanted as a file. */
export const newName = "quill.new";
export const leftName = "quill.left";
export const answerName = "quill.answer";
