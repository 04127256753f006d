/**
 * The format in which recorded requests, drafts and versions are stored. What was stored by a newer program, in a format that this one
 * does not know, is left alone.
 */
export const storedFormat = 1;
