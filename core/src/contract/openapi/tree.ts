/** A part of a document as plain values. */
export type Tree = Readonly<Record<string, unknown>>;

export const isTree = (v: unknown): v is Tree => v !== null && typeof v === 'object' && !Array.isArray(v);
