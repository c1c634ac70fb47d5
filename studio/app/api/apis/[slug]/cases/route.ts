import type { CaseDocument } from '@hinge/core';
import { z } from 'zod';
import { demandShape, runDraftCases } from '../../../../../features/apis/server';
import { jsonRoute } from '../../../../../lib/route';

const body = z.object({
  document: z.looseObject({}),
  cases: z.array(z.looseObject({ operation: z.string() })).max(50),
  environment: z.string(),
});

/** Runs up to 50 cases of a draft in one go; the page asks in portions, so that it can tell how far it is. */
export const POST = jsonRoute<{ slug: string }, z.infer<typeof body>>(
  ['designer', 'operator'],
  body,
  async ({ body: b }) => ({
    results: await runDraftCases(demandShape(b.document), b.cases as unknown as CaseDocument[], b.environment),
  }),
);
