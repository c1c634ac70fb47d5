import { describe, expect, test } from '@jest/globals';
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';

const APP = join(dirname(fileURLToPath(import.meta.url)), '../app');
const all = (name: string) =>
  (readdirSync(APP, { recursive: true }) as string[])
    .filter((f) => f.endsWith(`/${name}`) || f === name)
    .map((f) => [relative('.', f), readFileSync(join(APP, f), 'utf8')] as const);

/** Not for people: the sign-in itself, and gateways, which show a token. */
const OTHERS: Readonly<Record<string, string>> = {
  'api/auth/[...all]/route.ts': 'auth().handler(request)',
  'api/feed/route.ts': 'gatewayOf(request)',
  'api/feed/report/route.ts': 'gatewayOf(request)',
};
const CALLERS_OWN = /^api\/callers\//;

describe('every action of the studio is checked on the server (OWASP API2, API5:2023)', () => {
  const routes = all('route.ts');

  test('there are routes to look at', () => expect(routes.length).toBeGreaterThan(20));

  test.each(routes)('%s asks who it is', (file, source) => {
    const handlers = [...source.matchAll(/^export (?:const|async function|function) (?:\{ )?([A-Z]+)/gm)].map(
      (m) => m[1]!,
    );
    const other = OTHERS[file];
    if (other !== undefined) {
      expect(source).toContain(other);
      return;
    }
    expect(handlers.length).toBeGreaterThan(0);
    // One wrapper for each handler, with the roles that may.
    const wrapped = [...source.matchAll(/= jsonRoute(?:<[^(]*>)?\(\s*(READERS|\[[^\]]*\])/g)].map((m) => m[1]!);
    expect(wrapped).toHaveLength(handlers.length);
    for (const [i, roles] of wrapped.entries()) {
      if (!CALLERS_OWN.test(file)) expect(roles).not.toContain('caller');
      // Who only looks changes nothing; checking what was sent along stores nothing either.
      if (handlers[i] !== 'GET' && !file.endsWith('/check/route.ts')) {
        expect(roles).not.toBe('READERS');
        expect(roles).not.toContain('auditor');
      }
    }
  });

  test.each(all('page.tsx').filter(([file]) => file !== 'sign-in/page.tsx'))(
    'the page %s asks who it is',
    (_file, source) => {
      expect(source).toMatch(/demandUser\(|<Shell\b/);
    },
  );
});
