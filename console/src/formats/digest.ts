// Messages between the page and the worker that computes checksums.

export type ToDigest = { what: "begin" } | { what: "piece"; bytes: ArrayBuffer } | { what: "end" };

export interface FromDigest {
  /** Only after "end". */
  hex: string;
}
