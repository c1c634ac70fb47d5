import { readFile } from 'node:fs/promises';
import { z } from 'zod';

const endedSchema = z.array(z.object({ at: z.iso.datetime(), words: z.string() }));
const DAY_MS = 24 * 60 * 60_000;

/** What has ended beside this studio within a day, as the command that started it wrote it down; the last one first. */
export async function endedLately(
  file = process.env.HINGE_ENDED,
  now = Date.now(),
): Promise<z.infer<typeof endedSchema>> {
  if (!file) return [];
  try {
    const all = endedSchema.parse(JSON.parse(await readFile(file, 'utf8')));
    return all.filter((e) => now - Date.parse(e.at) < DAY_MS).reverse();
  } catch {
    // Not there, or being written at this moment.
    return [];
  }
}
