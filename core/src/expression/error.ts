/** An expression that cannot be read, or that failed. Codes are those of the JSONata library. */
export class ExpressionError extends Error {
  constructor(
    readonly code: string,
    message: string,
    /** Offset into the expression, in UTF-16 units. */
    readonly position?: number,
  ) {
    super(message);
    this.name = 'ExpressionError';
  }
}
