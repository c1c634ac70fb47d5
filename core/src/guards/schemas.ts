import { schemaGuardSchema } from './schema/schema';
import { sizeGuardSchema } from './size/schema';

/** Schemas of all guard kinds, in the order in which they act at a door: the cheap ones first. */
export const GUARD_SCHEMAS = [sizeGuardSchema, schemaGuardSchema] as const;
