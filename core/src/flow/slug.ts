import { z } from 'zod';

/** Names of things in a document. */
export const slug = z
  .string()
  .regex(/^[A-Za-z_][A-Za-z0-9_-]{0,99}$/, 'must start with a letter and hold only letters, digits, _ and -');
