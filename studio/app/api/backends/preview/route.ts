import { z } from 'zod';
import { contractOf, gather } from '../../../../features/backends/server';
import { previewOf } from '../../../../features/backends/view';
import { contractKindOf } from '@hinge/core';
import { jsonRoute } from '../../../../lib/route';

const body = z.object({
  url: z.string().max(2000).optional(),
  files: z.record(z.string().max(500), z.string()).optional(),
  entry: z.string().optional(),
  /** The documents alone: whoever asks reads them. */
  unread: z.boolean().optional(),
});

/** Gathers a contract, and reads it for a page that cannot; nothing is saved. */
export const POST = jsonRoute(['designer'], body, async ({ body: source }) => {
  const { files, entry } = await gather(source);
  if (source.unread) return { files, entry };
  return previewOf(contractOf({ contract: { kind: contractKindOf(files[entry] ?? ''), files, entry } })!, {
    files,
    entry,
  });
});
