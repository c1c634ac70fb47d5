/* eslint-disable @typescript-eslint/no-explicit-any -- replies are looked at from outside */
import { Body, compileApi } from '../src';
import { document } from './graph-world';

/** What backends were sent; whoever tests empties it. */
export const sent: string[] = [];
const CALLS = [
  {
    number: 'A',
    'vessel-id': 'x',
    vesselId: 'v1',
    kind: 'in-bound',
    day: '2026-12-04',
    tons: 5_000_000_000,
    notes: null,
    extra: { any: [1] },
  },
  { number: 'B', vesselId: 'v2', kind: 'true', tons: 1, notes: 'n' },
  { number: 'C', vesselId: 'v1', kind: 'outbound', tons: 2, notes: null },
];

/** One request to a graph over two backends, as the gateway hands it over. */
export async function ask(
  given: { query?: string; documentId?: string; variables?: unknown; operationName?: string } | string,
  {
    d = document(),
    accept = 'application/graphql-response+json',
    method = 'POST',
    type = 'application/json',
    headers = {} as Record<string, string>,
  } = {},
) {
  const text = typeof given === 'string' ? given : JSON.stringify(given);
  const search =
    method === 'GET' && typeof given !== 'string'
      ? `?${new URLSearchParams({ ...(given.documentId === undefined ? { query: given.query ?? '' } : { documentId: given.documentId }), ...(given.variables ? { variables: JSON.stringify(given.variables) } : {}) }).toString()}`
      : '';
  const entry = compileApi(d)
    .operations.get('graph')!
    .find((o) => o.method === method)!;
  const json = (status: number, value: unknown) => ({
    status,
    headers: { 'content-type': 'application/json' },
    body: Body.ofText(JSON.stringify(value), 'application/json'),
  });
  const outcome = await entry.handle(
    {
      ...{ method, url: '/graph', path: {}, query: {}, search, rest: '' },
      headers: { accept, ...(method === 'POST' && { 'content-type': type }), ...headers },
      body: method === 'POST' ? Body.ofText(text, type) : Body.empty(),
    },
    {
      ports: {
        clock: { now: () => 0 },
        backends: {
          async send(r) {
            await r.body.load();
            sent.push(`${r.method} ${r.url}${r.body.isEmpty ? '' : ` ${r.body.text()}`}`);
            if (r.method === 'DELETE') return { status: 204, headers: {}, body: Body.empty() };
            if (r.method === 'POST') return json(200, { ...CALLS[0], ...(JSON.parse(r.body.text()) as object) });
            const several = /\/vessels\?(.*)$/.exec(r.url)?.[1];
            if (several !== undefined)
              return json(200, {
                total: 9,
                vessels: new URLSearchParams(several)
                  .getAll('id')
                  .filter((id) => id !== 'v2')
                  .map((id) => ({ id, name: `Vessel ${id}`, metres: 7.5 })),
              });
            const id = /vessels\/(.*)$/.exec(r.url)?.[1];
            if (id === 'v2') return json(404, { title: 'No such vessel' });
            if (id === 'broken') return json(500, {});
            return json(200, id ? { id, name: `Vessel ${id}`, metres: 7.5 } : CALLS);
          },
        },
      },
      env: {},
      traceId: 't',
      outbound: {},
    },
  );
  await outcome.reply.body.load();
  return {
    status: outcome.reply.status,
    type: outcome.reply.headers['content-type'],
    headers: outcome.reply.headers,
    body: outcome.reply.body.isEmpty
      ? undefined
      : (JSON.parse(outcome.reply.body.text()) as { data?: any; errors?: any[]; detail?: string }),
  };
}
