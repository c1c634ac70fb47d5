/** Milliseconds after the n-th failure: doubled each time up to the longest, with a quarter of chance, so that what fell together is not tried together. */
export const waitAfter = (
  n: number,
  limits: { readonly firstWaitMs: number; readonly longestWaitMs: number },
): number => Math.min(limits.firstWaitMs * 2 ** (n - 1), limits.longestWaitMs) * (0.875 + Math.random() * 0.25);
