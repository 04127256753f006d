/**
 * How often a test of many cases goes round: so often that it finds what was planted, or, with QUILL_TEST_LONG as in `npm run test:long`, so often that it
 * finds what nobody thought of.
 */
export const often = (usually: number, long: number): number => (process.env.QUILL_TEST_LONG ? long : usually);
