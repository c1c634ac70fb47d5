import {
  draftFor,
  FIELD_PLACES,
  FlowDocumentSchema,
  PLANNED_METHODS,
  planProblems,
  type PlannedOperation,
} from '@hinge/core';
import { z } from 'zod';
import { createApi, demandShape } from '../../../features/apis/server';
import { contractOf, getBackend } from '../../../features/backends/server';
import { jsonRoute, Told } from '../../../lib/route';

const field = z.object({
  target: z.string(),
  name: z.string().min(1),
  place: z.enum(FIELD_PLACES),
  required: z.boolean(),
  words: z.string(),
  description: z.string().optional(),
  simple: z.boolean(),
});
const planned = z.object({
  operation: z.string(),
  include: z.boolean(),
  id: z.string(),
  method: z.enum(PLANNED_METHODS),
  path: z.string(),
  status: z.int().min(200).max(299),
  summary: z.string(),
  fields: z.array(field),
  note: z.string().optional(),
});
const body = z.object({
  backend: z.string(),
  name: z.string().trim().min(1, 'the API needs a name').max(200),
  slug: z.string().regex(/^[a-z0-9_-]{1,100}$/),
  base: z.string().regex(/^\/[^\s?#]*$/, 'a base path starts with / and holds neither space, ? nor #'),
  plan: z.array(planned).max(5000),
});

/** Makes an API from a reviewed plan. */
export const POST = jsonRoute(['designer'], body, async ({ body: b, user }) => {
  const row = await getBackend(b.backend);
  const contract = row && contractOf(row);
  if (!row?.contract || !contract) throw new Told(404, `There is no backend ${b.backend} with a contract.`);
  const problems = [...planProblems(b.plan as PlannedOperation[]).values()].flat();
  if (problems.length) throw new Told(422, problems.join('; '));
  const document = draftFor(contract, row.contract, b.plan as PlannedOperation[], {
    name: b.name,
    base: b.base,
    backend: row.name,
    withoutFiles: true,
  });
  document.backends = { [row.name]: {} };
  FlowDocumentSchema.parse(document);
  await createApi(demandShape(document), b.slug, user.name);
  return { slug: b.slug };
});
