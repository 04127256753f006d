/** A file to be downloaded, part by part. */
export interface FileView {
  readonly name: string;
  /** Its media type, with parameters (RFC 9110, 8.3.1). */
  readonly type: string;
  /** Its text. It has to be read to its end, or ended by `return`, since a connection is held for it. */
  readonly parts: AsyncIterable<string | Uint8Array>;
}
