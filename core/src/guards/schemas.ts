import { z } from 'zod';
import { basicGuardSchema } from './basic/schema';
import { certificateGuardSchema } from './certificate/schema';
import { concurrencyGuardSchema } from './concurrency/schema';
import { corsGuardSchema } from './cors/schema';
import { headersGuardSchema } from './headers/schema';
import { jwtGuardSchema } from './jwt/schema';
import { keyGuardSchema } from './key/schema';
import { networkGuardSchema } from './network/schema';
import { quotaGuardSchema } from './quota/schema';
import { rateGuardSchema } from './rate/schema';
import { schemaGuardSchema } from './schema/schema';
import { signatureGuardSchema } from './signature/schema';
import { sizeGuardSchema } from './size/schema';
import { tokenGuardSchema } from './token/schema';

/** Schemas of all guard kinds, in the order in which they act at a door: who may read, who comes in, how often, how much, then what. */
export const GUARD_SCHEMAS = [
  corsGuardSchema,
  networkGuardSchema,
  headersGuardSchema,
  certificateGuardSchema,
  keyGuardSchema,
  tokenGuardSchema,
  basicGuardSchema,
  jwtGuardSchema,
  rateGuardSchema,
  quotaGuardSchema,
  concurrencyGuardSchema,
  sizeGuardSchema,
  signatureGuardSchema,
  schemaGuardSchema,
] as const;

export const GuardSchema = z.discriminatedUnion('kind', GUARD_SCHEMAS);
