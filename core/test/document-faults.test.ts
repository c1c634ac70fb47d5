import { describe, expect, test } from '@jest/globals';
import { demoApis } from '@hinge/demo';
import fc from 'fast-check';
import { parseDocument, isMap, isScalar, isSeq } from 'yaml';
import { readDocument, writeDocument, HingeError, type FlowDocument } from '../src';

/** A document that somebody wrote by hand is told where it is wrong, and what was meant. */

const HEAD = `hinge: 1
api: { name: Berths, version: '1' }
doors:
  - { name: public, path: /b }
operations:
  Get:
    method: GET
    path: /x
    flow:
`;
const faults = (text: string): string[] => {
  try {
    return readDocument(text).findings.map(
      (f) =>
        `${f.place.line}:${f.place.column} ${f.place.pointer} | ${f.message.replace(/^[^:]*: /, '')} | ${f.remedy}`,
    );
  } catch (error) {
    return [`${(error as HingeError).finding.code} ${(error as HingeError).message}`];
  }
};
const inFlow = (step: string): string[] => faults(`${HEAD}      - ${step}\n`);

describe('what is wrong, where, and what was meant', () => {
  test.each([
    [
      '{ kind: call, bakend: one }',
      '10:23 /operations/Get/flow/0/bakend | there is no member "bakend" here | Write backend?',
    ],
    [
      '{ kind: cal, backend: one }',
      '10:11 /operations/Get/flow/0/kind | must be one of map, call, choose, gather, each, attempt, remember, convert, set, check, publish, reply, and is "cal" | Write call?',
    ],
    [
      '{ backend: one }',
      '10:9 /operations/Get/flow/0 | "kind" is missing | It is one of map, call, choose, gather, each, attempt, remember, convert, set, check, publish, reply.',
    ],
    [
      '{ kind: call, timeoutMs: soon }',
      '10:23 /operations/Get/flow/0/timeoutMs | must be a number, and is the text "soon" | ',
    ],
    ['{ kind: call, timeoutMs: 0 }', '10:23 /operations/Get/flow/0/timeoutMs | must be at least 1 | '],
    [
      '{ kind: convert }',
      '10:9 /operations/Get/flow/0 | "to" is missing | It is one of json, xml, form, multipart, csv.',
    ],
    [
      '{ kind: convert, to: jason }',
      '10:26 /operations/Get/flow/0/to | must be one of json, xml, form, multipart, csv, and is "jason" | Write json?',
    ],
    [
      '{ kind: map, to: replay }',
      '/operations/Get/flow/0/to | must be reply, or request, or a mapping with operation, and is "replay" | Write reply?',
    ],
    ['{ kind: map, to: { backend: one } }', '/operations/Get/flow/0/to | "operation" is missing | It is text.'],
    [
      '{ kind: map, to: { operatin: Get } }',
      '/operations/Get/flow/0/to/operatin | there is no member "operatin" here | Write operation?',
    ],
    [
      '{ kind: map, to: reply, fields: { to: /body, from: body } }',
      '/operations/Get/flow/0/fields | must be a list, and is a mapping | ',
    ],
    [
      '{ kind: choose, lines: [{ when: { of: body.a, is: equal, value: 1 }, flow: [] }] }',
      '/operations/Get/flow/0/lines/0/when/is | must be one of equals, ',
    ],
    [
      '{ kind: choose, lines: [{ when: { of: body.a }, flow: [] }] }',
      '/operations/Get/flow/0/lines/0/when | "is" is missing | It is one of equals, ',
    ],
    [
      '{ kind: choose, lines: [{ when: [{ of: body.a, is: equals }, 7], flow: [] }] }',
      '/operations/Get/flow/0/lines/0/when/1 | must be text, or a mapping with of, is, and is 7 | ',
    ],
    ['{ kind: choose, lines: [] }', '/operations/Get/flow/0/lines | must have at least 1 items | '],
    [
      '{ kind: check, against: { typ: Berth } }',
      '/operations/Get/flow/0/against/typ | there is no member "typ" here | Write type?',
    ],
    [
      '{ kind: remember, seconds: true, flow: [] }',
      '/operations/Get/flow/0/seconds | must be a number, or text, and is true | ',
    ],
    ['{ kind: reply, status: 700 }', '/operations/Get/flow/0/status | must be at most 599 | '],
    [
      '{ kind: set, values: { "a b": "1" } }',
      '/operations/Get/flow/0/values/a b | the name "a b" has not the form of the pattern',
    ],
    ['call', '/operations/Get/flow/0 | must be a mapping, and is the text "call" | '],
  ])('%s', (step, words) => {
    const all = inFlow(step);
    expect(all).toHaveLength(1);
    expect(all[0]).toContain(words);
  });

  test('members of the document itself, twice in one place, and the schema that editors want', () => {
    const text = `${HEAD}      - { kind: call, backend: one }\n`;
    expect(faults(`$schema: ./flow.schema.json\n${text}`)).toEqual([]);
    expect(faults(text.replace('operations:', 'operatons:'))).toEqual([
      '5:1 /operatons | there is no member "operatons" here | Write operations?',
    ]);
    expect(faults(text.replace("version: '1'", 'version: 1'))[0]).toBe(
      '2:22 /api/version | must be text, and is 1 | See docs/flow.schema.json for what may stand here.',
    );
    expect(faults('a: [')[0]).toMatch(/^HNG-201/);
  });

  test('what `$schema` says stays where it was', () => {
    const text = `${HEAD}      - { kind: call, backend: one }\n`;
    const { document } = readDocument(`$schema: ./flow.schema.json\n${text}`);
    expect(writeDocument(document!)).toMatch(/^\$schema: \.\/flow\.schema\.json\nhinge: 1\n/);
  });

  test('a document that cannot be written says why in the same words', () => {
    const bad = {
      hinge: 1,
      api: { name: 'a', version: '1' },
      doors: [],
      operations: { 'a b': {} },
    } as unknown as FlowDocument;
    expect(() => writeDocument(bad)).toThrow(HingeError);
    try {
      writeDocument(bad);
    } catch (error) {
      expect((error as Error).message).not.toMatch(/^\[|Invalid input/);
    }
  });
});

describe('whatever is changed in a document, what is told helps', () => {
  const texts = Object.values(demoApis()).map((d) => writeDocument(d));
  /** Paths of all keys. */
  const keysOf = (text: string): (string | number)[][] => {
    const out: (string | number)[][] = [];
    const walk = (node: unknown, path: (string | number)[]): void => {
      if (isMap(node))
        for (const p of node.items) {
          const key = String(isScalar(p.key) ? p.key.value : p.key);
          out.push([...path, key]);
          walk(p.value, [...path, key]);
        }
      else if (isSeq(node)) node.items.forEach((n, i) => walk(n, [...path, i]));
    };
    walk(parseDocument(text).contents, []);
    return out;
  };

  test.each(texts.map((t, i) => [Object.keys(demoApis())[i]!, t] as const))('%s', (_name, text) => {
    const keys = keysOf(text).filter((k) => !k.includes('contract') && k[0] !== 'hinge');
    const change = fc.constantFrom('misspell', 'delete', 'number', 'text', 'list', 'mapping', 'empty');
    fc.assert(
      fc.property(fc.constantFrom(...keys), change, (path, what) => {
        const yaml = parseDocument(text);
        const value: unknown = yaml.getIn(path);
        if (what === 'delete' || what === 'misspell') yaml.deleteIn(path);
        if (what === 'misspell') yaml.setIn([...path.slice(0, -1), `${String(path.at(-1))}x`], value);
        const other = { number: 7, text: 'odd', list: [1], mapping: { a: 1 }, empty: null } as Record<string, unknown>;
        if (what in other) yaml.setIn(path, other[what]);
        for (const f of readDocument(String(yaml)).findings) {
          expect(f.message).not.toMatch(/Invalid|expected|received|undefined|\[object|^\[/);
          expect(f.message).toMatch(/^\S.*: ./);
          expect(f.remedy.length).toBeGreaterThan(5);
          expect([typeof f.place.line, typeof f.place.column]).toEqual(['number', 'number']);
        }
      }),
      { seed: 24, numRuns: 25 },
    );
  });
});
