import { describe, expect, test } from '@jest/globals';
import { graphql, buildSchema, parse, validate } from 'graphql';
import {
  Body,
  checkDocument,
  compileApi,
  consumerOf,
  eventFrom,
  exportAsyncApi,
  exportGraphql,
  FlowDocumentSchema,
  pollerOf,
  refWith,
  TopicHubs,
  type FlowDocument,
} from '../src';
import { drain } from './event-world';
import { familyDocument as document, familyRef as ref } from './family-world';

describe('in documents', () => {
  const messages = (d: FlowDocument) => checkDocument(d).map((f) => f.message);
  const topic = document().topics!.turned!;

  test('the document is valid, and has no finding', () => {
    expect(FlowDocumentSchema.safeParse(document()).error).toBeUndefined();
    expect(messages(document())).toEqual([]);
    expect(messages(document({ topics: { turned: { address: 'a/{b}' } } }))).toEqual([]);
  });

  test.each([
    [
      'a path without one',
      { ...topic, door: { path: '/{berth}' } },
      'the path /{berth} of the topic turned has no place for light',
    ],
    [
      'a path with another',
      { ...topic, door: { path: '/{berth}/{light}/{x}' } },
      'the path /{berth}/{light}/{x} has x, which the address "quay/{berth}/light/{light}/turned" of the topic turned does not have',
    ],
    [
      'words of another',
      { ...topic, parameters: { x: {} } },
      'the topic turned says something of x, which its address does not have',
    ],
    [
      'a brace that is none',
      { address: 'quay/{ber th}' },
      'the address "quay/{ber th}" of the topic turned has a brace that belongs to no parameter',
    ],
  ])('%s is told', (_n, turned, message) => {
    expect(checkDocument(document({ topics: { turned } }))).toMatchObject([{ code: 'HNG-335', message }]);
  });

  test('two topics whose paths differ by the names of parameters alone are told', () => {
    const other = { address: 'other/{a}/{b}', door: { path: '/{a}/{b}' } };
    expect(messages(document({ topics: { turned: topic, other } }))).toEqual([
      'the topics turned and other both have the path /{a}/{b}',
    ]);
  });

  test('a step, a poll and a consumer have values for what they name', () => {
    const flow = (parameters?: Record<string, string>) =>
      document({
        doors: [
          { name: 'lights', path: '/lights', answers: 'events' },
          { name: 'r', path: '/r' },
        ],
        operations: {
          turn: {
            method: 'POST',
            path: '/turn',
            flow: [{ kind: 'publish', topic: 'turned', ...(parameters && { parameters }) }],
          },
        },
      });
    expect(messages(flow())).toContain('publish to turned: no value for berth, light');
    expect(messages(flow({ berth: '"north"', light: 'body.light', x: '1' }))).toContain(
      'publish to turned: the topic has no parameter x, but berth, light',
    );
    const more = document({
      topics: { turned: topic, aside: { address: 'aside/{reason}' } },
      consumers: { c: { topic: 'turned', operation: 'take', dead: 'aside' } },
      polls: { p: { operation: 'look', everySeconds: 9, topic: 'turned' } },
      operations: {
        look: { method: 'GET', path: '/look', flow: [{ kind: 'reply' }] },
        take: {
          method: 'POST',
          path: '/take/{light}/{other}',
          parameters: ['light', 'other'].map((n) => ({
            name: n,
            in: 'path' as const,
            required: true,
            schema: { type: 'string' },
          })),
          flow: [{ kind: 'reply' }],
        },
      },
    });
    expect(messages(more)).toEqual(
      expect.arrayContaining([
        'the consumer c lays events aside in aside, and has no value for reason',
        'the consumer c cannot give take what it needs: other',
        'the poll p: no value for berth, light',
      ]),
    );
  });

  test('a step publishes to the topic that its expressions mean; a value that cannot be is the fault of the flow', async () => {
    const hubs = new TopicHubs(undefined, () => 0);
    const d = document({
      doors: [{ name: 'r', path: '/r' }],
      operations: {
        turn: {
          method: 'POST',
          path: '/turn',
          flow: [{ kind: 'publish', topic: 'turned', parameters: { berth: 'body.at', light: 'body.n' } }],
        },
      },
    });
    const turn = compileApi(d)
      .operations.get('r')!
      .find((o) => o.path === '/turn')!;
    const run = async (body: unknown) =>
      (
        await turn.handle(
          {
            ...{ method: 'POST', url: '/r/turn', path: {}, query: {}, search: '', rest: '' },
            headers: { 'content-type': 'application/json' },
            body: Body.ofText(JSON.stringify(body), 'application/json'),
          },
          {
            ports: { clock: { now: () => 0 }, backends: { send: () => Promise.reject(new Error()) }, topics: hubs },
            env: {},
            traceId: 't',
            outbound: {},
          },
        )
      ).reply.status;
    const one = await hubs.listen(refWith(ref(), { berth: 'south', light: '12' }), {});
    expect(await run({ at: 'south', n: 12 })).toBe(202);
    expect(await drain(one)).toHaveLength(1);
    expect(await run({ at: 'east', n: 12 })).toBe(502);
    expect(await run({ at: 'south' })).toBe(502);
  });

  test('a consumer filters by them, and a poll makes them of each thing', async () => {
    const handled: string[] = [];
    const take = consumerOf(
      { topic: 'turned', operation: 'o', where: 'parameters.berth = "north"' },
      {
        run: (e) => (handled.push(e.subject!), Promise.resolve({ status: 200 })),
        wait: () => Promise.resolve(),
        stopped: () => false,
        told: () => undefined,
      },
    );
    for (const berth of ['north', 'south'])
      await take(eventFrom(refWith(ref(), { berth, light: '1' }), { payload: new Uint8Array(0) }));
    expect(handled).toEqual(['north/1']);
    const look = pollerOf({
      operation: 'o',
      everySeconds: 1,
      topic: 'turned',
      key: 'id',
      first: 'all',
      parameters: { light: 'id', berth: '"north"' },
    });
    expect((await look([{ id: 4 }], undefined)).changes[0]!.given).toEqual({ light: 4, berth: 'north' });
  });

  test('a graph takes them as arguments, and names them apart from its own', async () => {
    const d = document({
      doors: [{ name: 'g', path: '/g', answers: 'graphql' }],
      topics: { turned: topic, told: { address: 'a/{after}/{light-no}' } },
    });
    const sdl = exportGraphql(d);
    const schema = buildSchema(sdl);
    expect(validate(schema, parse('subscription { turned(berth: "north", light: "7") }'))).toEqual([]);
    expect(
      Object.keys(schema.getSubscriptionType()!.getFields()).map((n) =>
        schema
          .getSubscriptionType()!
          .getFields()
          [n]!.args.map((a) => a.name),
      ),
    ).toEqual([
      ['berth', 'light', 'after'],
      ['afterValue', 'lightNo', 'after'],
    ]);
    expect(sdl).toContain('one of north, south');
    expect((await graphql({ schema, source: '{ __typename }' })).errors).toBeUndefined();
  });

  test('AsyncAPI tells each with its path', () => {
    expect(exportAsyncApi(document())).toMatchObject({
      channels: {
        turned: {
          address: '/lights/{berth}/{light}',
          parameters: { berth: { enum: ['north', 'south'] }, light: { description: 'Number on its mast' } },
        },
      },
    });
  });
});
