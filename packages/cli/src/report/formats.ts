/** In which formats what a command found is written. */
export const formats = {
  review: ["text", "json", "sarif"],
  rehearsal: ["text", "json", "junit"],
  rows: ["text", "json"],
  adopt: ["text", "json", "sarif"],
} as const;
export type Format = (typeof formats.review)[number];
export type RehearsalFormat = (typeof formats.rehearsal)[number];
