import { GuardSchema, type GuardDocument } from '@hinge/core';
import { eq } from 'drizzle-orm';
import { z } from 'zod';
import { database, schema } from '../../db/client';

const { settings } = schema;
const NAME = 'guards';

/** At most one of a kind: of two the nearer counts, and here none is nearer. */
export const guardsSchema = z
  .array(GuardSchema)
  .max(20)
  .refine((all) => new Set(all.map((g) => g.kind)).size === all.length, 'two guards are of the same kind');

/** Guards that act at every API which has none of the kind itself. */
export async function workspaceGuards(): Promise<GuardDocument[]> {
  const [row] = await database().select().from(settings).where(eq(settings.name, NAME));
  const parsed = guardsSchema.safeParse(row?.value ?? []);
  return parsed.success ? parsed.data : [];
}

export async function keepWorkspaceGuards(guards: readonly GuardDocument[], by: string): Promise<void> {
  const fresh = { value: guards, changedAt: new Date(), changedBy: by };
  await database()
    .insert(settings)
    .values({ name: NAME, ...fresh })
    .onConflictDoUpdate({ target: settings.name, set: fresh });
}
