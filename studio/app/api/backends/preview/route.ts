import { readContract, slug } from '@hinge/core';
import { z } from 'zod';
import { gather, viewOf } from '../../../../features/backends/server';
import { jsonRoute } from '../../../../lib/route';

const body = z.object({
  url: z.string().max(2000).optional(),
  files: z.record(z.string().max(500), z.string()).optional(),
  entry: z.string().optional(),
});

/** Reads a contract and shows it; nothing is saved. */
export const POST = jsonRoute(['designer'], body, async ({ body: source }) => {
  const files = await gather(source);
  const contract = readContract(files);
  return {
    contract: viewOf(contract),
    files: files.files,
    entry: files.entry,
    suggestedName: slug(contract.name).replace(/-service$/, ''),
  };
});
