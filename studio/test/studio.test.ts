import { describe, expect, jest, test } from '@jest/globals';
import { berthsApi, demoApis, berthsContract, SIGN_INS } from '@hinge/demo';
import { sql } from 'drizzle-orm';
import { Client } from 'pg';
import { database } from '../db/client';
import {
  assemble,
  createApi,
  demandShape,
  getDraft,
  listApis,
  listReleases,
  rehearseDraft,
  release,
  releasedDocument,
  saveDraft,
} from '../features/apis/server';
import {
  addBackend,
  cleanAddresses,
  contractOf,
  gather,
  getBackend,
  newerContract,
  setAddresses,
} from '../features/backends/server';
import { viewOf } from '../features/backends/view';
import { hub } from '../features/gateways/hub';
import { configFor, gatewayOf, gatewayStates, openFeed, takeReport } from '../features/gateways/server';
import { caseOf } from '../features/traffic/keep';
import { getTrace, listTraces } from '../features/traffic/server';
import { withDatabase } from './base';
import type { StoredTrace } from '../features/fold/trace-fold';

jest.setTimeout(60_000);
let url: string;
withDatabase((u) => (url = u));

describe('drafts', () => {
  test('the demo is there once, however often it is seeded', async () => {
    const rows = await listApis();
    expect(rows.find((r) => r.slug === 'berths')).toMatchObject({
      slug: 'berths',
      name: 'Berths',
      base: '/berths/v1',
      operations: 7,
      releases: [],
    });
    expect(rows.map((r) => `${r.slug} ${r.revision}`)).toEqual(Object.keys(demoApis()).map((slug) => `${slug} 1`));
    const c = new Client({ connectionString: url });
    await c.connect();
    expect((await c.query('select count(*)::int as n from "user"')).rows[0]).toEqual({ n: SIGN_INS.length });
    expect((await c.query('select password from account limit 1')).rows[0].password).not.toContain(
      SIGN_INS[0].password,
    );
    await c.end();
  });

  test('a document comes back with its members in the order they had', async () => {
    expect(JSON.stringify((await getDraft('berths'))!.document)).toBe(JSON.stringify(demandShape(berthsApi())));
  });

  test('two people at once: one is saved, the other is told who, nothing is overwritten', async () => {
    const before = (await getDraft('berths'))!;
    const mine = { ...before.document, api: { ...before.document.api, description: 'mine' } };
    const theirs = { ...before.document, api: { ...before.document.api, description: 'theirs' } };
    const results = await Promise.allSettled([
      saveDraft('berths', before.revision, mine, 'A', ''),
      saveDraft('berths', before.revision, theirs, 'B', ''),
    ]);
    expect(results.map((r) => r.status).sort()).toEqual(['fulfilled', 'rejected']);
    const winner = results[0]!.status === 'fulfilled' ? 'A' : 'B';
    expect(results.find((r) => r.status === 'rejected')).toMatchObject({
      reason: {
        status: 409,
        message: expect.stringContaining(`${winner} saved draft ${before.revision + 1}`),
        more: { revision: before.revision + 1 },
      },
    });
    expect((await getDraft('berths'))!.savedBy).toBe(winner);
    await expect(saveDraft('berths', 1, mine, 'late', '')).rejects.toMatchObject({ status: 409 });
  });

  test('a save that is refused leaves nothing behind', async () => {
    const { document, revision } = (await getDraft('berths'))!;
    for (const [slug, base, status] of [
      ['berths', revision - 1, 409],
      ['berths', revision + 5, 400],
      ['berths', 2_000_000_000, 400],
      ['nobody', 1, 404],
    ] as const)
      await expect(saveDraft(slug, base, document, 'C', '')).rejects.toMatchObject({ status });
    expect((await getDraft('berths'))!.revision).toBe(revision);
    expect(await saveDraft('berths', revision, document, 'C', '')).toBe(revision + 1);
    const c = new Client({ connectionString: url });
    await c.connect();
    const { rows } = await c.query('select max(revision)::int as n, count(*)::int as rows from drafts where api = $1', [
      'berths',
    ]);
    expect(rows[0]).toEqual({ n: revision + 1, rows: revision + 1 });
    await c.end();
  });

  test('connections that the database ends are opened again, in a transaction too', async () => {
    const c = new Client({ connectionString: url });
    await c.connect();
    const end =
      'select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()';
    jest.spyOn(console, 'error').mockImplementation(() => undefined);
    const { revision } = (await getDraft('berths'))!;
    await c.query(end);
    await new Promise((r) => setTimeout(r, 50));
    expect((await getDraft('berths'))!.revision).toBe(revision);
    const broken = database().transaction(async (tx) => {
      await tx.execute(sql`select 1`);
      await c.query(end);
      await tx.execute(sql`select pg_sleep(0.1)`);
    });
    await expect(broken).rejects.toThrow();
    expect((await getDraft('berths'))!.revision).toBe(revision);
    jest.restoreAllMocks();
    await c.end();
  });

  test('what is no flow document is not saved', () => {
    expect(() => demandShape({ hinge: 1 })).toThrow(/api/);
  });

  test('a name is taken once', async () => {
    await expect(createApi((await getDraft('berths'))!.document, 'berths', 'x')).rejects.toMatchObject({ status: 409 });
  });
});

describe('backends', () => {
  test('a contract is gathered from files that were dropped, its trees have rows', async () => {
    const source = await gather({ files: berthsContract().files });
    expect(source.entry).toBe('berths.wsdl');
    const view = viewOf(contractOf({ contract: { kind: 'wsdl', ...source } })!);
    expect(view.operations[1]).toMatchObject({
      id: 'GetBerth',
      headers: [{ name: 'officeCode', words: 'string in header' }],
      faults: [{ name: 'UnknownBerth' }],
      place: expect.stringMatching(/^berths\.wsdl, line \d+$/) as unknown,
    });
    const berth = view.types.find((t) => t.name === 'Berth')!;
    expect(berth.usedBy).toEqual(['FindBerths', 'GetBerth']);
    expect(berth.place).toMatch(/^berths\.xsd, line \d+$/);
    const api = await gather({
      files: {
        'parts.yaml': 'Tug: {type: object, properties: {id: {type: string}}}',
        'tow.yaml':
          'openapi: 3.1.0\ninfo: {title: Tow, version: "1"}\npaths: {/tugs: {get: {operationId: tugs, parameters: [{name: free, in: query, schema: {type: boolean}}], responses: {200: {description: d, content: {application/json: {schema: {$ref: "parts.yaml#/Tug"}}}}}}}}',
      },
    });
    expect(api.entry).toBe('tow.yaml');
    expect(viewOf(contractOf({ contract: { kind: 'openapi', ...api } })!)).toMatchObject({
      operations: [{ id: 'tugs', protocol: 'GET /tugs', headers: [{ name: 'free', words: 'boolean in query' }] }],
      types: [{ name: 'Tug', usedBy: ['tugs'], place: 'parts.yaml, line 1' }],
    });
    await expect(gather({ files: { 'a.wsdl': berthsContract().files['berths.wsdl']! } })).rejects.toMatchObject({
      finding: { code: 'HNG-112' },
    });
    await expect(gather({ url: 'ftp://x' })).rejects.toMatchObject({ status: 422 });
    await expect(gather({})).rejects.toMatchObject({ status: 422 });
  });

  test('a newer contract keeps the port that was chosen, and says so when it has none of that name', async () => {
    const { entry, files } = berthsContract();
    await addBackend({
      name: 'ported',
      title: 'Ported',
      source: { entry, files },
      port: 'Soap12',
      addresses: {},
      by: 'x',
    });
    const newer = { entry, files: { ...files, [entry]: files[entry]!.replace('FindBerths', 'FindBerths') } };
    const { after } = await newerContract('ported', newer, true);
    expect(after.operations[0]!.soap!.version).toBe('1.2');
    const kept = (await getBackend('ported'))!.contract!;
    expect(kept.port).toBe('Soap12');
    const without = { entry, files: { ...files, [entry]: files[entry]!.replaceAll('name="Soap12"', 'name="Other"') } };
    await expect(newerContract('ported', without, true)).rejects.toThrow(/Soap12/);
    expect((await getBackend('ported'))!.contract).toEqual(kept);
    await expect(newerContract('nobody', newer, false)).rejects.toMatchObject({ status: 404 });
  });

  test('addresses are cleaned; one that is no address changes nothing', async () => {
    expect(cleanAddresses({ sandbox: ' http://127.0.0.1:2/soap ', production: ' ' })).toEqual({
      sandbox: 'http://127.0.0.1:2/soap',
    });
    await expect(setAddresses('berths', { sandbox: 'file:///etc' })).rejects.toMatchObject({ status: 422 });
    await expect(setAddresses('nobody', {})).rejects.toMatchObject({ status: 404 });
    expect((await getBackend('berths'))!.addresses).toEqual({ sandbox: 'http://127.0.0.1:2/soap' });
  });

  test('nothing is half-saved: a contract that cannot be read leaves no backend', async () => {
    await expect(
      addBackend({ name: 'bad', title: 'Bad', source: { entry: 'x', files: { x: '<a/>' } }, addresses: {}, by: 't' }),
    ).rejects.toMatchObject({ finding: { code: 'HNG-110' } });
    expect(await getBackend('bad')).toBeUndefined();
    await expect(addBackend({ name: 'berths', title: 'x', addresses: {}, by: 't' })).rejects.toMatchObject({
      status: 409,
    });
  });
});

describe('releases and the feed', () => {
  test('a release is numbered, hashed, whole and immutable; an error stands in its way', async () => {
    const draft = (await getDraft('berths'))!;
    const [a, b] = await Promise.all([
      release('berths', draft.revision, 'sandbox', 'one', 'A'),
      release('berths', draft.revision, 'sandbox', 'two', 'B'),
    ]);
    expect([a.number, b.number].sort()).toEqual([1, 2]);
    const rows = await listReleases();
    expect(rows).toHaveLength(2);
    expect(rows[0]!.hash).toBe(rows[1]!.hash);
    expect(rows.filter((r) => r.environments.includes('sandbox'))).toHaveLength(1);
    expect((await releasedDocument('berths', 1))!.backends!.berths!.contract!.files).toHaveProperty(['berths.xsd']);
    await expect(release('berths', draft.revision, 'production', '', 'A')).rejects.toMatchObject({
      status: 422,
      message: expect.stringContaining('has no address in production'),
    });
    await expect(release('berths', 999, 'sandbox', '', 'A')).rejects.toMatchObject({ status: 404 });
  });

  test('a gateway is known by its token; its stream begins with what it must run; what it applied is shown', async () => {
    const ask = (token: string) =>
      gatewayOf(new Request('http://x/', { headers: { authorization: `Bearer ${token}` } }));
    expect(await ask('wrong')).toBeUndefined();
    const gateway = (await ask('token'))!;
    expect(gateway.name).toBe('quay-1');
    const abort = new AbortController();
    const reader = (await openFeed(gateway, abort.signal)).getReader();
    const first = new TextDecoder().decode((await reader.read()).value);
    expect(first).toMatch(
      /^event: config\ndata: \{"revision":"[0-9a-f]{12}","environment":"sandbox","variables":\{"officeCode":"TH-22"\}/,
    );
    const { revision } = await configFor('sandbox');
    expect((await gatewayStates())[0]).toMatchObject({ connected: true, wanted: revision, applied: null });
    await takeReport(gateway, { kind: 'applied', revision });
    expect((await gatewayStates())[0]).toMatchObject({ applied: revision, refusal: null });
    abort.abort();
    expect((await gatewayStates())[0]).toMatchObject({ connected: false });
  });

  test('a rehearsal without a gateway still brings the findings, and says why there is none', async () => {
    const draft = (await getDraft('berths'))!;
    const r = await rehearseDraft(
      draft.document,
      { name: 'c', operation: 'GetBerth', request: {} },
      'production',
      true,
    );
    expect(r.why).toContain('no gateway of production is connected');
    expect(r.findings).toMatchObject([{ code: 'HNG-301' }]);
    await expect(hub().rehearse('sandbox', {}, 10)).rejects.toThrow('no gateway');
    expect((await assemble(draft.document)).backends!.berths).toMatchObject({
      addresses: { sandbox: 'http://127.0.0.1:2/soap' },
    });
  });

  test('traces are kept, found by filter, and come back as they were', async () => {
    const t = {
      id: 'span1',
      traceId: 't',
      at: '2026-11-01T10:00:00.000Z',
      api: 'berths',
      operation: 'GetBerth',
      release: 1,
      environment: 'sandbox',
      method: 'GET',
      url: '/berths/v1/berths/N-07?a=1%25',
      status: 200,
      ms: 4.5,
      backendMs: 3,
      z: 1,
      a: 2,
    };
    await takeReport(
      { name: 'quay-1', environment: 'sandbox' },
      { kind: 'traces', traces: [t, { ...t, id: 'span2', status: 404, operation: undefined }] },
    );
    await takeReport({ name: 'quay-1', environment: 'sandbox' }, { kind: 'traces', traces: [t] });
    expect(await listTraces({})).toHaveLength(2);
    expect(await listTraces({ status: '4' })).toMatchObject([{ id: 'span2', operation: null }]);
    expect(await listTraces({ text: '1%25' })).toHaveLength(2);
    expect(await listTraces({ text: '_' })).toHaveLength(0);
    expect(await listTraces({ before: t.at })).toHaveLength(0);
    expect(JSON.stringify(await getTrace('span1'))).toBe(JSON.stringify({ ...t, gateway: 'quay-1' }));
  });
});

test('a trace becomes a case: parameters out of the path, declared headers, digits of the body', () => {
  const document = berthsApi();
  const trace = {
    id: 's',
    traceId: 't',
    at: '2026-11-01T10:00:00Z',
    api: 'berths',
    operation: 'AmendReservation',
    door: 'public',
    method: 'PATCH',
    url: '/berths/v1/reservations/R%2F1?x=1&x=2',
    status: 200,
    ms: 1,
    backendMs: 1,
    gateway: 'g',
    request: {
      headers: { 'content-type': 'application/json', 'user-agent': 'curl' },
      mediaType: 'application/json',
      text: '{"draught":6.40}',
      bytes: 16,
    },
    reply: { headers: {}, bytes: 0 },
    steps: [],
  } satisfies StoredTrace;
  expect(caseOf(trace, document)).toMatchObject({
    name: 'kept 2026-11-01, 200',
    operation: 'AmendReservation',
    request: {
      path: { reservationNumber: 'R/1' },
      query: { x: ['1', '2'] },
      headers: { 'content-type': 'application/json' },
      body: '{"draught":6.40}',
    },
    expect: { status: 200 },
  });
  const again = caseOf(trace, { ...document, cases: [caseOf(trace, document)] });
  expect(again.name).toBe('kept 2026-11-01, 200 (2)');
});
