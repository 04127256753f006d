/** The register of names: in this example a list in memory that takes a moment to answer, as another system would. */
const names: Readonly<Record<string, string>> = { "Otter Weir": "MV-014", "Old Sluice": "MV-090" };

export const register = {
  /** The code of the station that has a name; null where it is free. */
  async holderOf(name: string, signal: AbortSignal): Promise<string | null> {
    await new Promise((resolve) => setTimeout(resolve, name === "Slow Sluice" ? 10_000 : 20));
    signal.throwIfAborted();
    return names[name] ?? null;
  },
};
