/** Nobody waits for the answer any more: what was asked for was given up. */
export class NobodyWaits extends Error {
  override readonly name = "NobodyWaits";
}
