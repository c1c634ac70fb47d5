import { keyGuardSchema } from './key/schema';
import { networkGuardSchema } from './network/schema';
import { rateGuardSchema } from './rate/schema';
import { schemaGuardSchema } from './schema/schema';
import { sizeGuardSchema } from './size/schema';

/** Schemas of all guard kinds, in the order in which they act at a door: who, how often, how much, then what. */
export const GUARD_SCHEMAS = [
  networkGuardSchema,
  keyGuardSchema,
  rateGuardSchema,
  sizeGuardSchema,
  schemaGuardSchema,
] as const;
