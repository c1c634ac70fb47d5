import type { CaseDocument } from '@hinge/core';
import { z } from 'zod';
import { demandShape, rehearseDraft } from '../../../../../features/apis/server';
import { jsonRoute } from '../../../../../lib/route';

const body = z.object({
  document: z.looseObject({}),
  case: z.looseObject({ operation: z.string() }),
  environment: z.string(),
  /** Findings and types too, for a browser that does not find them out itself. */
  check: z.boolean().default(true),
});

/** A rehearsal by a real gateway; findings and types along the flow when asked for. */
export const POST = jsonRoute<{ slug: string }, z.infer<typeof body>>(
  ['designer', 'operator'],
  body as z.ZodType<z.infer<typeof body>>,
  ({ body: b }) => rehearseDraft(demandShape(b.document), b.case as unknown as CaseDocument, b.environment, b.check),
);
