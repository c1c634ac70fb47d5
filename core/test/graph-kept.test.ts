import { beforeEach, describe, expect, test } from '@jest/globals';
import { createHash } from 'node:crypto';
import { checkDocument } from '../src';
import { ask, sent } from './graph-ask';
import { document } from './graph-world';

beforeEach(() => void sent.splice(0));

describe('queries that are kept', () => {
  const VESSEL = 'query Vessel($v: String!) { getVessel(vesselId: $v) { name } }';
  const kept = (more: object = {}) =>
    document({
      graph: { ...document().graph, queries: { vessel: VESSEL, calls: '{ listCalls { number } }' }, ...more },
    });
  const named = { data: { getVessel: { name: 'Vessel v1' } } };
  const variables = { v: 'v1' };

  test('are asked by name, or by the SHA-256 of their text, by POST and GET', async () => {
    const hash = createHash('sha256').update(VESSEL).digest('hex');
    for (const documentId of ['vessel', `sha256:${hash}`, `sha256:${hash.toUpperCase()}`])
      for (const method of ['POST', 'GET'])
        expect((await ask({ documentId, variables }, { d: kept(), method })).body).toEqual(named);
  });

  test('an id that nobody knows, one that is no text, and an id beside a query say so', async () => {
    const told = async (given: object) => {
      const r = await ask(given as { query: string }, { d: kept() });
      return [r.status, r.body!.detail];
    };
    expect(await told({ documentId: 'nope' })).toEqual([400, 'There is no query nope here.']);
    expect(await told({ documentId: 'constructor' })).toEqual([400, 'There is no query constructor here.']);
    expect(await told({ documentId: `sha256:${'0'.repeat(64)}` })).toEqual([
      400,
      expect.stringContaining('There is no query'),
    ]);
    expect(await told({ documentId: 7 })).toEqual([400, 'documentId must be a text.']);
    expect(await told({ documentId: 'vessel', query: VESSEL })).toEqual([
      400,
      'query and documentId exclude each other: send one of them.',
    ]);
  });

  test('where only these are answered, another text is refused before anything is called', async () => {
    const d = kept({ onlyQueries: true });
    const other = await ask({ query: '{ listCalls { kind } }' }, { d });
    expect([other.status, other.body!.errors![0].message, sent]).toEqual([
      400,
      'Only queries that are kept here are answered; name one by documentId.',
      [],
    ]);
    expect((await ask({ query: ` ${VESSEL}\n`, variables }, { d })).body).toEqual(named);
    expect((await ask({ documentId: 'vessel', variables }, { d })).body).toEqual(named);
    expect((await ask({ query: '{ __typename }' }, { d })).status).toBe(400);
  });

  test('those that cannot be asked are findings', () => {
    const codes = (graph: object) =>
      checkDocument(kept(graph))
        .filter((f) => f.code === 'HNG-333')
        .map((f) => `${f.code} ${f.place.pointer}`);
    expect(codes({})).toEqual([]);
    expect(codes({ queries: { a: '{ nope }', b: '{ listCalls {', c: VESSEL } })).toEqual([
      'HNG-333 /graph/queries/a',
      'HNG-333 /graph/queries/b',
    ]);
    expect(codes({ queries: {}, onlyQueries: true })).toEqual(['HNG-333 /graph/onlyQueries']);
    expect(codes({ queries: { two: 'query A { listCalls { number } } query B { listCalls { kind } }' } })).toEqual([]);
  });
});
