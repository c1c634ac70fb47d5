/** One entry for each step from a format to the next: MIGRATIONS[n] takes a document of format n to n + 1. */
type Migration = (document: Record<string, unknown>) => Record<string, unknown>;

export const MIGRATIONS: Readonly<Record<number, Migration>> = {
  // Format 0 was the sketch before the first release: one "door" with a base path of its own beside the API's name.
  0: (d) => {
    const api = (d.api ?? {}) as Record<string, unknown>;
    const { basePath, ...rest } = api;
    return { ...d, hinge: 1, api: rest, doors: d.doors ?? [{ name: 'public', path: basePath ?? '/' }] };
  },
};

export function migrateDocument(document: Record<string, unknown>): Record<string, unknown> {
  let d = document;
  for (let guard = 0; guard < 100; guard++) {
    const version = d.hinge;
    const migration = typeof version === 'number' ? MIGRATIONS[version] : undefined;
    if (!migration) return d;
    d = migration(d);
  }
  return d;
}
