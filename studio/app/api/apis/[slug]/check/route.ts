import { checkDocument } from '@hinge/core';
import { z } from 'zod';
import { assemble, demandShape, neighboursOf } from '../../../../../features/apis/server';
import { jsonRoute } from '../../../../../lib/route';

const body = z.object({ document: z.looseObject({}), environment: z.string() });

/** Every finding of a draft that is being changed. */
export const POST = jsonRoute<{ slug: string }, z.infer<typeof body>>(
  ['designer', 'operator'],
  body,
  async ({ body: b }) => {
    const whole = await assemble(demandShape(b.document));
    return {
      findings: checkDocument(whole, { environments: [b.environment], neighbours: await neighboursOf(whole) }),
    };
  },
);
