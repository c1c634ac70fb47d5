import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import {
  checkDocument,
  compileApi,
  HeldTopics,
  MemoryStore,
  readText,
  runCases,
  textOf,
  unreachedLines,
  type FlowDocument,
} from '@hinge/core';
import { HttpBackends, startGateway, type RunningGateway } from '@hinge/gateway';
import { startBerths, startTown, tidesOf, VESSELS, type StandIn, type Town } from '@hinge/stand-ins';
import { demoApis, wholeDocument } from '../src/documents';

let berths: StandIn;
let town: Town;
let apis: Record<string, FlowDocument>;
const backends = new HttpBackends();

beforeAll(async () => {
  berths = await startBerths();
  town = await startTown(0, { quick: true });
  const at = { berths: `http://127.0.0.1:${berths.port}/soap`, town: `http://127.0.0.1:${town.port}` };
  apis = Object.fromEntries(Object.entries(demoApis()).map(([slug, d]) => [slug, wholeDocument(d, at)]));
});
afterAll(async () => {
  await Promise.all([berths.stop(), town.stop(), backends.close()]);
});

const now = () => performance.now();

describe.each(Object.keys(demoApis()))('the API %s', (slug) => {
  test('has no findings but warnings of open contracts', () => {
    expect(checkDocument(apis[slug]!).filter((f) => f.severity === 'error')).toEqual([]);
  });

  test('is said by its OpenAPI text, and reading that changes nothing', () => {
    const document = apis[slug]!;
    const read = readText(textOf(document), 'yaml', document);
    expect(read.findings).toEqual([]);
    expect([read.document === document, read.gone]).toEqual([true, []]);
  });

  test('passes its own cases against the stand-ins', async () => {
    const document = apis[slug]!;
    const world = {
      ports: { backends, clock: { now }, store: new MemoryStore(now), topics: new HeldTopics() },
      env: { officeCode: 'TH-22' },
    };
    const results = await runCases(compileApi(document), document.cases ?? [], world);
    expect(results.length).toBeGreaterThan(0);
    expect(results.filter((r) => !r.passed)).toEqual([]);
    expect(unreachedLines(document, results)).toEqual([]);
  });
});

describe('on a gateway', () => {
  let gateway: RunningGateway;
  const ask = async (path: string, init?: RequestInit) => {
    const r = await fetch(`http://127.0.0.1:${gateway.port}${path}`, init);
    return { status: r.status, headers: r.headers, text: await r.text() };
  };
  beforeAll(async () => {
    gateway = await startGateway({
      port: 0,
      config: {
        revision: 'test',
        variables: { officeCode: 'TH-22' },
        apis: Object.entries(apis).map(([slug, document]) => ({ slug, document })),
      },
    });
  });
  afterAll(() => gateway.stop());

  test('a tide table is remembered over both doors, JSON at one and XML at the other', async () => {
    const first = await ask('/tides/v1/2026-12-09');
    expect(first.status).toBe(200);
    expect(first.headers.get('cache-status')).toBe('hinge; fwd=uri-miss; stored; ttl=300');
    const xml = await ask('/tides/v2/2026-12-09');
    expect(xml.headers.get('content-type')).toBe('application/xml');
    expect(xml.headers.get('cache-status')).toMatch(/^hinge; hit; ttl=\d+$/);
    expect(xml.headers.get('age')).toBe('0');
    const body = JSON.parse(first.text) as { tides: { at: string }[] };
    expect(body.tides.map((t) => t.at)).toEqual(tidesOf('2026-12-09')!.map((t) => t.at));
    // Digits as the service wrote them, 3.40 not 3.4.
    for (const t of tidesOf('2026-12-09')!) expect(first.text).toContain(`"heightMetres":${t.heightMetres}`);
    expect(xml.text).toContain(':heightMetres>4.72<');
  });

  test('the length decides who tows; the register refuses who it does not know', async () => {
    for (const v of VESSELS) {
      const r = await ask('/towage/v1/orders', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ vessel: v.callNumber, at: '2026-12-04T05:30:00+01:00', from: 'N-07', to: 'S-02' }),
      });
      if (v.lengthMetres > 220) expect([r.status, r.text]).toEqual([422, expect.stringContaining('no tug')]);
      else {
        const ship = v.kind === 'VESSEL' && v.lengthMetres >= 60;
        expect(JSON.parse(r.text)).toMatchObject({ desk: ship ? 'tow desk' : 'barge desk' });
      }
    }
  });

  test('a port call comes without pilots when the station is down, and not at all when the register is', async () => {
    const path = '/port-calls/v1/TV-40213?berth=N-07&day=2026-12-04';
    town.behaviours.pilots.mode = 'down';
    const without = await ask(path);
    expect([without.status, (JSON.parse(without.text) as { pilots: unknown }).pilots]).toEqual([200, []]);
    town.behaviours.pilots.mode = 'normal';
    town.behaviours.vessels.mode = 'down';
    const failed = await ask(path);
    expect([failed.status, JSON.parse(failed.text)]).toEqual([503, expect.objectContaining({ backend: 'vessels' })]);
    town.behaviours.vessels.mode = 'normal';
    expect(JSON.parse((await ask(path)).text)).toMatchObject({
      vessel: { name: 'Grey Wagtail' },
      pilots: ['A. Ouzel', 'E. Redwing'],
    });
  });

  test('proxies pass on what they get, under a path of their own', async () => {
    expect((await ask('/notices/number/12')).text).toContain('Notice 12 to mariners');
    expect((await ask('/register/vessels?name=plover')).text).toContain('Ringed Plover');
    expect((await ask('/register/owners/O-0')).status).toBe(404);
  });
});
