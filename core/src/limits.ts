/** Every bound of the core in one place, with its reason. Sizes in bytes, times in milliseconds. */
export const LIMITS = {
  /** A contract document. The largest public WSDLs known to us stay under 10 MB (common practice); 16 MiB leaves room. */
  contractBytes: 16 * 1024 * 1024,
  /** Documents that one contract may pull in by import and include. */
  contractDocuments: 512,
  /** Nesting of elements in any XML we read. Hand-made contracts stay under 40; recursion in JavaScript stays safe. */
  xmlDepth: 512,
  /** Attributes on one element; more is an attack on duplicate checking. */
  xmlAttributes: 1024,
  /** Nesting of arrays and objects in any JSON we read. */
  jsonDepth: 512,
  /** A flow document. */
  documentBytes: 32 * 1024 * 1024,
  /** A caller's request body by default. */
  requestBytes: 16 * 1024 * 1024,
  /** A backend's reply that a step reads. What nobody reads is streamed and not bounded. */
  replyBytes: 64 * 1024 * 1024,
  /** Input faults told in one answer; more help nobody. */
  inputFaults: 100,
  /** The expressions of one request may take this long together, if the document says nothing else; nobody else is served meanwhile. */
  expressionMs: 100,
  /** What they may make together, if the document says nothing else. */
  expressionBytes: 16 * 1024 * 1024,
  /** Steps of the expressions of one request: items looked at, functions called. Well under a second on the slowest machine we measured. */
  expressionSteps: 2_000_000,
  /** After so much evaluating others have a turn before the next step. */
  expressionTurnMs: 20,
  /** Nesting of evaluations inside one expression; recursion in the library stays safe. */
  expressionDepth: 500,
  /** Items that one list made by an expression may have. */
  expressionItems: 1_000_000,
  /** A backend call without a limit of its own. */
  callMs: 10_000,
  /** A message body kept in a trace; the rest is cut and said to be cut. */
  shownBytes: 256 * 1024,
  /** The same in a rehearsal, which nobody keeps. */
  rehearsedBytes: 4 * 1024 * 1024,
} as const;
