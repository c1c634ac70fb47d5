import { z } from 'zod';
import type { StepDocument } from '../flow/document';

/** Steps inside a step. An interface, so that the type of all steps may hold itself. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface StepList extends Array<StepDocument> {}

let all: z.ZodType | undefined;

/** Told by the document's schema once, before anything is read: the schema of every step. */
export function useStepSchema(schema: z.ZodType): void {
  all = schema;
}

/** A flow inside a step. Steps know each other's schemas only here, so that a kind stays a folder of its own. */
export const nestedFlow = z.lazy(() => z.array(all!)) as unknown as z.ZodType<StepList>;
