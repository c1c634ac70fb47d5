import { describe, expect, test } from '@jest/globals';
import { Ajv2020 } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { existsSync, readFileSync, readdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { GUARD_ORDER, STEP_KINDS } from '@hinge/core';
import { schemaPage } from '../src/publish';
import { referencePages } from '../src/reference';

const ROOT = join(dirname(fileURLToPath(import.meta.url)), '../..');

interface Schema {
  properties?: Record<string, Schema>;
  description?: string;
  examples?: unknown[];
  [member: string]: unknown;
}

describe('the schema of the document tells what each member is', () => {
  const root = JSON.parse(schemaPage()) as Schema & { $defs: Record<string, Schema> };
  const all: [string, Schema][] = [];
  const walk = (s: unknown, path: string): void => {
    if (s === null || typeof s !== 'object') return;
    const schema = s as Schema;
    for (const [name, m] of Object.entries(schema.properties ?? {})) all.push([`${path}.${name}`, m]);
    for (const [key, v] of Object.entries(schema)) {
      if (['enum', 'const', 'examples', 'default'].includes(key)) continue;
      if (key === 'properties' || key === '$defs')
        for (const [n, x] of Object.entries(v as object)) walk(x, `${path}.${n}`);
      else if (Array.isArray(v)) for (const x of v) walk(x, path);
      else walk(v, path);
    }
  };
  walk(root, '');

  test('in words, with an example', () => {
    expect(all.length).toBeGreaterThan(500);
    expect(all.filter(([, m]) => !m.description || m.description.length < 3).map(([p]) => p)).toEqual([]);
    expect(all.filter(([, m]) => m.examples?.length !== 1).map(([p]) => p)).toEqual([]);
  });

  test('the example is one that may stand there', () => {
    const ajv = new Ajv2020({ strict: false, allErrors: false, validateSchema: false });
    addFormats(ajv);
    const seen = new Set<string>();
    const wrong: string[] = [];
    for (const [path, member] of all) {
      const key = JSON.stringify(member);
      if (seen.has(key)) continue;
      seen.add(key);
      const judge = ajv.compile({ ...member, $defs: root.$defs });
      if (!judge(member.examples![0]))
        wrong.push(`${path}: ${JSON.stringify(member.examples![0])} ${ajv.errorsText(judge.errors)}`);
    }
    expect(wrong).toEqual([]);
  }, 60_000);
});

describe('docs/reference', () => {
  const pages = referencePages(join(ROOT, 'examples'));

  test('is what the code says, and nothing else', () => {
    const folder = join(ROOT, 'docs/reference');
    const there = (readdirSync(folder, { recursive: true }) as string[]).filter((f) => f.endsWith('.md'));
    expect(there.sort()).toEqual([...pages.keys()].sort());
    for (const [path, text] of pages) expect([path, readFileSync(join(folder, path), 'utf8')]).toEqual([path, text]);
  });

  test('has a page with an example for every step, guard and kind of door', () => {
    const wanted = [
      ...STEP_KINDS.map((k) => `steps/${k.kind}.md`),
      ...GUARD_ORDER.map((k) => `guards/${k}.md`),
      ...['json', 'xml', 'graphql', 'events'].map((d) => `doors/${d}.md`),
      'topics.md',
    ];
    for (const path of wanted)
      expect([path, /## Example\n[^]*```yaml\n/.test(pages.get(path) ?? '')]).toEqual([path, true]);
  });

  test('every link leads somewhere', () => {
    for (const [path, text] of pages)
      for (const [, link] of text.matchAll(/\]\(([^)#]+)\)/g)) {
        const target = join(ROOT, 'docs/reference', dirname(path), link!);
        expect([path, link, existsSync(target)]).toEqual([path, link, true]);
      }
  });
});
