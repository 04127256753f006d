/** The most that a page file may have, in UTF-16 code units. */
export const mostOfPageFile = 262_144;

/** What is said of a longer one. */
export const pageFileTooLong = "A page file holds at most 256 KiB.";
