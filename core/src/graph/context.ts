/** What the fields of a graph are resolved with. */

/** Values of a call by where the operation wants them. */
export interface GraphCall {
  readonly operation: string;
  readonly path: Readonly<Record<string, unknown>>;
  readonly query: Readonly<Record<string, unknown>>;
  readonly headers: Readonly<Record<string, unknown>>;
  readonly body?: unknown;
}

export interface GraphReply {
  readonly status: number;
  /** JSON value of the body. */
  readonly value?: unknown;
}

/** Calls an operation for many values at once. */
export interface Batch {
  /** What has the same key goes into one call. */
  readonly key: string;
  readonly operation: string;
  /** Values of one call. */
  readonly most: number;
  call(values: readonly unknown[]): GraphCall;
  /** Items of the answer by `loadKey` of the value they belong to. Throws what the operation refused. */
  items(reply: GraphReply): ReadonlyMap<string, readonly unknown[]>;
}

/** Calls operations, each call with the same values once, and look-ups of one batch together. */
export interface GraphContext {
  /** `field`: for which field of the answer, as names between dots; items of lists have no number there. */
  call(call: GraphCall, field: string): Promise<GraphReply>;
  /** Items that belong to a value. All that is asked for in the same turn is one call, or as few as `most` allows. */
  load(batch: Batch, value: unknown, field: string): Promise<readonly unknown[]>;
}
