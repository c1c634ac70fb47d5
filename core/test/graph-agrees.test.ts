import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { execute, parse } from 'graphql';
import {
  executeGraph,
  GRAPH_LIMITS,
  graphOf,
  readGraphRequest,
  type FlowDocument,
  type GraphCall,
  type GraphContext,
  type JsonSchema,
} from '../src';
import { writeJson } from '../src/codec/json';
import { document, get } from './graph-world';

/** The plan of a query against `execute` of the package graphql (16): same data, same errors at the same places. */

const ref = (name: string): JsonSchema => ({ $ref: `#/types/${name}` });
const list = (items: JsonSchema): JsonSchema => ({ type: 'array', items });
const nullable = (s: JsonSchema): JsonSchema => ({ anyOf: [s, { type: 'null' }] });

// Items of lists may be null: where one may not, and earlier ones still wait, the package (16.15) leaves their rejections to nobody, and the process ends.
const world: FlowDocument = document({
  types: {
    A: {
      type: 'object',
      properties: {
        id: { type: 'string' },
        n: { type: 'integer', format: 'int32' },
        f: { type: 'number' },
        yes: { type: 'boolean' },
        kind: { type: 'string', enum: ['x-1', 'x-2'] },
        big: { type: 'integer', format: 'int64' },
        day: { type: 'string', format: 'date' },
        any: {},
        b: ref('B'),
        maybe: nullable(ref('B')),
        bs: list(nullable(ref('B'))),
        holes: list(nullable(ref('B'))),
        texts: list(nullable({ type: 'string' })),
        grid: list(list({ type: 'integer', format: 'int32' })),
        either: ref('Either'),
        eithers: list(nullable(ref('Either'))),
      },
      required: ['id', 'b', 'kind', 'holes'],
    },
    B: {
      type: 'object',
      properties: { id: { type: 'string' }, name: { type: 'string' }, a: ref('A') },
      required: ['name'],
    },
    C: { type: 'object', properties: { code: { type: 'string' }, b: ref('B') }, required: ['code'] },
    Either: { oneOf: [ref('B'), ref('C')] },
  },
  operations: {
    getA: get('/a/{id}', ref('A'), 'calls'),
    listA: get('/a', list(nullable(ref('A'))), 'calls', {
      parameters: [{ name: 'size', in: 'query', schema: { type: 'integer', format: 'int32' } }],
    }),
    putA: get('/a', ref('A'), 'calls', { method: 'POST', parameters: [] }),
    dropA: { method: 'DELETE', path: '/a', flow: [] },
    getB: get('/b/{id}', ref('B'), 'calls'),
    bsOf: get('/bs', list(nullable(ref('B'))), 'calls', {
      parameters: [{ name: 'ids', in: 'query', schema: { type: 'array', items: { type: 'string' } } }],
    }),
  },
  graph: {
    joins: [
      { type: 'A', field: 'joined', operation: 'getB', with: { id: 'id' } },
      { type: 'B', field: 'whole', operation: 'getA', with: { id: 'name' } },
      { type: 'A', field: 'together', operation: 'bsOf', with: { ids: 'id' }, list: { by: 'name' } },
      { type: 'B', field: 'all', operation: 'bsOf', with: { ids: 'name' }, list: { by: 'id', all: true, most: 2 } },
    ],
  },
});

/** Answers that depend on the call alone; most fit, some do not. */
function contextOf(seed: number, count: string[]): GraphContext {
  const random = (text: string): (() => number) => {
    let h = 2166136261 ^ seed;
    for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 16777619);
    return () => {
      h = Math.imul(h ^ (h >>> 15), 2246822507) + 0x9e3779b9;
      return ((h ^ (h >>> 13)) >>> 0) / 2 ** 32;
    };
  };
  const a = (r: () => number, depth: number): unknown =>
    r() < 0.06
      ? null
      : {
          ...(r() < 0.93 && { id: `i${Math.floor(r() * 4)}` }),
          n: r() < 0.9 ? Math.floor(r() * 100) : 'no number',
          f: r() * 3,
          yes: r() < 0.5,
          kind: r() < 0.93 ? 'x-1' : 'x-9',
          big: 5_000_000_000,
          day: '2026-12-04',
          any: { deep: [1, null] },
          ...(depth > 0 && r() < 0.9 && { b: b(r, depth - 1) }),
          maybe: depth > 0 ? b(r, depth - 1) : null,
          bs: r() < 0.9 ? many(r, () => b(r, depth - 1)) : 'no list',
          holes: many(r, () => b(r, depth - 1)),
          texts: ['t', null],
          grid: [[1], [2, r() < 0.9 ? 3 : null]],
          either: either(r, depth - 1),
          eithers: many(r, () => either(r, depth - 1)),
        };
  const b = (r: () => number, depth: number): unknown =>
    r() < 0.1
      ? null
      : {
          id: `i${Math.floor(r() * 4)}`,
          ...(r() < 0.9 && { name: `i${Math.floor(r() * 4)}` }),
          a: depth > 0 ? a(r, depth - 1) : null,
        };
  const either = (r: () => number, depth: number): unknown =>
    r() < 0.4
      ? b(r, depth)
      : r() < 0.1
        ? 'no object'
        : r() < 0.1
          ? { neither: true }
          : { code: `c${Math.floor(r() * 9)}`, ...(depth > 0 && { b: b(r, depth - 1) }) };
  const many = <T>(r: () => number, make: () => T): T[] => Array.from({ length: Math.floor(r() * 4) }, make);
  const answer = (call: GraphCall) => {
    const r = random(writeJson([call.operation, call.path, call.query]));
    if (r() < 0.12) return { status: 500, value: { title: 'broken' } };
    if (r() < 0.05) return { status: 404 };
    const value =
      call.operation === 'listA'
        ? many(r, () => a(r, 2))
        : call.operation === 'getB'
          ? b(r, 2)
          : call.operation === 'bsOf'
            ? many(r, () => b(r, 1))
            : a(r, 2);
    return { status: 200, value };
  };
  return {
    call: (call) => {
      count.push(writeJson([call.operation, call.path, call.query]));
      return Promise.resolve(answer(call));
    },
    // Each by itself: how look-ups are laid together is `Calls`' affair, and tested there.
    load: (batch, value) => {
      const reply = answer(batch.call([value]));
      return Promise.resolve().then(() => [...(batch.items(reply).get(String(value)) ?? [])]);
    },
  };
}

/** Queries over that graph, with aliases, fragments, conditions and variables. */
const LEAVES = {
  A: ['id', 'n', 'f', 'yes', 'kind', 'big', 'day', 'any', 'texts', 'grid', '__typename'],
  B: ['id', 'name', '__typename'],
  C: ['code', '__typename'],
  Either: ['__typename'],
};
type Name = keyof typeof LEAVES;
const INNER = {
  A: { b: 'B', maybe: 'B', bs: 'B', holes: 'B', joined: 'B', together: 'B', either: 'Either', eithers: 'Either' },
  B: { a: 'A', whole: 'A', all: 'B' },
  C: { b: 'B' },
} as const;
const selection = (type: Name, depth: number): fc.Arbitrary<string> => {
  const leaf = fc.constantFrom(...LEAVES[type]);
  const condition = fc.constantFrom('', '', '', ' @include(if: $on)', ' @skip(if: $on)', ' @skip(if: false)');
  const one: fc.Arbitrary<string>[] = [fc.tuple(leaf, condition).map(([l, c]) => `${l}${c}`)];
  if (type === 'Either') {
    for (const member of ['B', 'C'] as const)
      one.push(selection(member, Math.max(0, depth - 1)).map((s) => `... on ${member} { ${s} }`));
    one.push(fc.constantFrom('...fEither', '...fB', '...fC'));
  } else if (depth > 0) {
    const inner = fc.constantFrom(...(Object.entries(INNER[type]) as [string, Name][]));
    const deeper = inner.chain(([name, to]) =>
      fc
        .tuple(condition, selection(to, depth - 1), fc.constantFrom('', `k${name}: `))
        .map(([c, s, alias]) => `${alias}${name}${c} { ${s} }`),
    );
    one.push(
      deeper,
      deeper,
      selection(type, depth - 1).map((s) => `... on ${type} { ${s} }`),
      fc.constant(`...f${type}`),
    );
  }
  return fc.array(fc.oneof(...one), { minLength: 1, maxLength: 4 }).map((x) => x.join(' '));
};
const FRAGMENTS = {
  fA: 'fragment fA on A { id b { name ...fB } }',
  fEither: 'fragment fEither on Either { kind: __typename ...fC }',
  fC: 'fragment fC on C { code b { ...fB } }',
  fB: 'fragment fB on B { id all { name } }',
};
/** With the fragments that it opens: one that nobody does is no query (§5.5.1.4). */
const whole = (text: string): string =>
  Object.entries(FRAGMENTS).reduce((q, [name, f]) => (q.includes(`...${name}`) ? `${q} ${f}` : q), text);
const query = fc
  .tuple(selection('A', 3), selection('A', 3), fc.constantFrom('query', 'mutation'))
  .map(([one, two, kind]) =>
    kind === 'query'
      ? `query Q($on: Boolean!, $id: String!) { getA(id: $id) { ${one} } again: getA(id: "i2") { ${two} } listA(size: 3) { ${two} } }`
      : `mutation M($on: Boolean!, $id: String!) { putA { ${one} } drop: dropA putA2: putA { ${two} } }`,
  )
  .map(whole);

/** What a caller would see. */
const seen = (r: { data?: unknown; errors?: readonly unknown[] }) => {
  const errors = (r.errors ?? []).map((e) => writeJson(JSON.parse(JSON.stringify(e))));
  return { data: writeJson(r.data), errors };
};

/** What holds the field of an error is there. */
function stands(data: unknown, error: string): boolean {
  const { path } = JSON.parse(error) as { path: (string | number)[] };
  let at = data;
  for (const key of path.slice(0, -1)) at = (at as Record<string | number, unknown> | null)?.[key] ?? null;
  return at !== null;
}

describe('a plan agrees with the package graphql', () => {
  const { schema } = graphOf(world);

  test('on queries and mutations over answers that fit and that do not', async () => {
    let planned = 0;
    let failed = 0;
    await fc.assert(
      fc.asyncProperty(query, fc.integer(), fc.boolean(), async (text, seed, on) => {
        const variables = { on, id: 'i1' };
        const read = readGraphRequest(schema, { query: text }, { ...GRAPH_LIMITS, fields: 10_000 });
        // Fields that do not merge are refused before: nothing to compare.
        if ('errors' in read) return;
        planned++;
        const calls: [string[], string[]] = [[], []];
        const ours = seen(await executeGraph(read, { query: text, variables }, contextOf(seed, calls[0])));
        const theirs = seen(
          await execute({
            schema,
            document: parse(text),
            variableValues: variables,
            contextValue: contextOf(seed, calls[1]),
          }),
        );
        expect(ours.data).toBe(theirs.data);
        if (theirs.errors.length) failed++;
        // Once a place is null, whether more is told of what stood below is free (§6.4.4): the package does, where it came late.
        expect(theirs.errors).toEqual(expect.arrayContaining(ours.errors));
        expect(theirs.errors.filter((e) => !ours.errors.includes(e) && stands(JSON.parse(ours.data), e))).toEqual([]);
        expect(calls[1]).toEqual(expect.arrayContaining(calls[0]));
        if (!theirs.errors.length) expect(calls[0].sort()).toEqual(calls[1].sort());
      }),
      { numRuns: 400, seed: 20261128 },
    );
    expect(planned).toBeGreaterThan(150);
    expect(failed).toBeGreaterThan(50);
  });

  test('where the schema is asked for beside fields, and by any alias', async () => {
    const text = `query Q($n: String = "A") {
      __schema { queryType { ...t } }
      t: __type(name: $n) { kind fields { name } }
      none: __type(name: "Nobody") { name }
      __typename
      getA(id: "i2") { __typename __proto__: n }
    } fragment t on __Type { name }`;
    const read = readGraphRequest(schema, { query: text }, GRAPH_LIMITS);
    if ('errors' in read) throw read.errors[0]!;
    const ours = seen(await executeGraph(read, { query: text }, contextOf(1, [])));
    const theirs = seen(await execute({ schema, document: parse(text), contextValue: contextOf(1, []) }));
    expect(ours).toEqual(theirs);
    expect(ours.data).toContain('"__proto__":');
  });
});

test('a list that throws while its earlier items still wait ends nothing', async () => {
  const items: JsonSchema = {
    type: 'object',
    properties: { id: { type: 'string' }, must: { type: 'string' } },
    required: ['must'],
  };
  const { schema } = graphOf(
    document({
      types: { Item: items },
      operations: {
        list: get('/list', list(ref('Item')), 'calls'),
        one: get('/one/{id}', ref('Item'), 'calls'),
      },
      graph: { joins: [{ type: 'Item', field: 'other', operation: 'one', with: { id: 'id' } }] },
    }),
  );
  const query = '{ list { other { must } must } __schema { queryType { name } } }';
  const read = readGraphRequest(schema, { query }, GRAPH_LIMITS);
  if ('errors' in read) throw read.errors[0]!;
  const calls: GraphContext = {
    call: (c) =>
      c.operation === 'list'
        ? Promise.resolve({ status: 200, value: [{ id: 'a', must: 'x' }, { id: 'b' }] })
        : new Promise((_give, fail) => setTimeout(() => fail(new Error('late')), 5)),
    load: () => Promise.resolve([]),
  };
  const { data, errors } = seen(await executeGraph(read, { query }, calls));
  await new Promise((r) => setTimeout(r, 20));
  // A rejection that nobody hears would have ended the process by now.
  expect([data, errors.length]).toEqual(['{"list":null,"__schema":{"queryType":{"name":"Query"}}}', 1]);
});
