/**
 * The formats in which drafts and versions, and recorded requests, are stored. What was stored by a newer program, in a format that this one
 * does not know, is left alone.
 */
export const storedFormat = 1;
/** 1: `recorded`, as `jsonb`; 2: `kept`, as text, which costs PostgreSQL half as much. */
export const requestFormat = 2;
