import { typeFlow, type CaseDocument } from '@hinge/core';
import { z } from 'zod';
import { assemble, demandShape, neighboursOf, rehearseDraft } from '../../../../../features/apis/server';
import { jsonRoute } from '../../../../../lib/route';

const body = z.object({
  document: z.looseObject({}),
  case: z.looseObject({ operation: z.string() }),
  environment: z.string(),
});

/** Findings, types along the flow, and a rehearsal by a real gateway. */
export const POST = jsonRoute<{ slug: string }, z.infer<typeof body>>(
  ['designer', 'operator'],
  body,
  async ({ body: b }) => {
    const document = demandShape(b.document);
    const [rehearsed, whole] = await Promise.all([
      rehearseDraft(document, b.case as unknown as CaseDocument, b.environment),
      assemble(document),
    ]);
    return { ...rehearsed, typing: typeFlow(whole, b.case.operation, await neighboursOf(whole)) };
  },
);
