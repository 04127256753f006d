/** The middle value; of an even number of values the mean of the two. */
export function median(values: readonly number[]): number {
  const sorted = values.toSorted((a, b) => a - b);
  const half = sorted.length / 2;
  const [low, high] = [sorted[Math.ceil(half) - 1] ?? 0, sorted[Math.floor(half)] ?? 0];
  return (low + high) / 2;
}

/** The value below which a share of all lies (nearest rank). */
export function percentile(values: readonly number[], share: number): number {
  const sorted = values.toSorted((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.ceil(share * sorted.length) - 1)] ?? 0;
}

/** Rows of texts as lines, columns aligned; the first row is the head. */
export function table(rows: readonly (readonly string[])[]): string {
  const widths = (rows[0] ?? []).map((_, column) => Math.max(...rows.map((row) => row[column]?.length ?? 0)));
  return rows
    .map((row) =>
      row
        .map((text, column) => (column === 0 ? text.padEnd(widths[0] ?? 0) : text.padStart(widths[column] ?? 0)))
        .join("  "),
    )
    .join("\n");
}
