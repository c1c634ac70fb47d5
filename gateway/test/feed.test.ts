import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { mkdtemp, readFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startBerths, type StandIn } from '../../stand-ins/src';
import { startGateway, type GatewayConfig, type RunningGateway } from '../src';
import { FakeStudio } from './fake-studio';
import { berthsDocument, eventually } from './world';

let studio: FakeStudio;
let standIn: StandIn;
let state: string;
const running: RunningGateway[] = [];
const headers = { officeCode: 'TH-22' };
const config = (revision: string, release: number): GatewayConfig => ({
  revision,
  environment: 'sandbox',
  variables: {},
  traceShare: 1,
  apis: [{ slug: 'berths', release, document: berthsDocument(`http://127.0.0.1:${standIn.port}/soap`) }],
});
const start = async (token = 'secret') => {
  const g = await startGateway({ port: 0, controlPort: 0, stateDir: state, feed: { studio: studio.url, token } });
  running.push(g);
  return g;
};
const ask = (g: RunningGateway) => fetch(`http://127.0.0.1:${g.port}/berths/v1/berths/N-07`, { headers });

beforeEach(async () => {
  standIn = await startBerths();
  studio = new FakeStudio();
  await studio.start();
  state = await mkdtemp(join(tmpdir(), 'hinge-gateway-'));
});
afterEach(async () => {
  await Promise.all(running.splice(0).map((g) => g.stop()));
  await studio.stop();
  await standIn.stop();
});

describe('the feed', () => {
  test('a configuration is applied within a second and acknowledged; a newer one replaces it', async () => {
    studio.config = config('r1', 1);
    const g = await start();
    await eventually('r1 is acknowledged', () => studio.of('applied').some((r) => r.revision === 'r1'));
    expect((await ask(g)).headers.get('server-timing')).toContain('release;desc="berths 1"');
    const sent = Date.now();
    studio.send('config', config('r2', 2));
    await eventually('r2 is acknowledged', () => studio.of('applied').some((r) => r.revision === 'r2'));
    expect(Date.now() - sent).toBeLessThan(1000);
    expect((await ask(g)).headers.get('server-timing')).toContain('release;desc="berths 2"');
  });

  test('it says where it counts, and forgets what the studio names', async () => {
    const remembering = config('r1', 1);
    const { document } = remembering.apis[0]!;
    const operation = Object.values(document.operations).find((o) => o.path === '/berths/{id}')!;
    operation.flow = [{ kind: 'remember', seconds: 60, tags: ['"berths"'], flow: operation.flow }];
    studio.config = remembering;
    const g = await start();
    await eventually('it runs', () => studio.of('applied').length > 0);
    await eventually('the store is told', () => studio.of('store').length > 0);
    expect(studio.of('store')[0]).toEqual({ kind: 'store', state: 'process' });
    const told = async () => (await ask(g)).headers.get('cache-status');
    expect(await told()).toContain('stored');
    expect(await told()).toContain('hit');
    studio.send('forget', { id: '1', tag: 'tides' });
    await eventually('the first answer', () => studio.of('forgotten').length === 1);
    expect(await told()).toContain('hit');
    studio.send('forget', { id: '2', tag: 'berths' });
    await eventually('the second answer', () => studio.of('forgotten').length === 2);
    expect(await told()).toContain('stored');
    studio.send('forget', { id: '3' });
    await eventually('the third answer', () => studio.of('forgotten').length === 3);
    expect(await told()).toContain('stored');
    expect(studio.of('forgotten').map((r) => [r.id, r.count])).toEqual([
      ['1', 0],
      ['2', 1],
      ['3', 1],
    ]);
  });

  test('one that cannot be compiled is refused with the reason, and the old one goes on', async () => {
    studio.config = config('good', 1);
    const g = await start();
    await eventually('it runs', () => studio.of('applied').length > 0);
    studio.send('config', { revision: 'bad', apis: [{ slug: 'x', document: { doors: null } }] });
    await eventually('the refusal', () => studio.of('refused').length > 0);
    expect(studio.of('refused')[0]).toMatchObject({ revision: 'bad', why: expect.any(String) });
    expect((await ask(g)).status).toBe(200);
  });

  test('drafts are rehearsed on the way back, broken ones are told', async () => {
    studio.config = config('r1', 1);
    await start();
    await eventually('it runs', () => studio.of('applied').length > 0);
    const document = config('x', 1).apis[0]!.document;
    studio.send('rehearse', {
      id: 'one',
      document,
      case: { name: 'c', operation: 'GetBerth', request: { path: { id: 'N-07' }, headers } },
      environment: 'sandbox',
    });
    studio.send('rehearse', { id: 'two', document, case: { name: 'c', operation: 'Nothing', request: {} } });
    await eventually('both', () => studio.of('rehearsed').length + studio.of('not-rehearsed').length === 2);
    expect(studio.of('rehearsed')[0]).toMatchObject({
      id: 'one',
      rehearsal: { reply: { status: 200 }, steps: [{ kind: 'map' }, { kind: 'call' }, { kind: 'map' }] },
    });
    expect(studio.of('not-rehearsed')[0]).toMatchObject({ id: 'two', why: expect.stringContaining('Nothing') });
  });

  test('traces arrive with every message, secrets masked; a 404 lists what there is, for designers', async () => {
    studio.config = config('r1', 7);
    const g = await start();
    await eventually('it runs', () => studio.of('applied').length > 0);
    await fetch(`http://127.0.0.1:${g.port}/berths/v1/berths/N-07`, {
      headers: { ...headers, authorization: 'Bearer hush' },
    });
    const lost = await fetch(`http://127.0.0.1:${g.port}/berths/v1/nope`);
    expect(JSON.stringify(await lost.json())).not.toContain('reservations');
    await eventually('two traces', () => studio.of('traces').flatMap((t) => t.traces).length === 2);
    const [done, refused] = studio.of('traces').flatMap((t) => t.traces);
    expect(done).toMatchObject({
      api: 'berths',
      release: 7,
      environment: 'sandbox',
      operation: 'GetBerth',
      status: 200,
      door: 'public',
      steps: [{ kind: 'map', taken: true }, { kind: 'call' }, { kind: 'map' }],
    });
    expect(JSON.stringify(done)).not.toContain('hush');
    expect(refused).toMatchObject({
      status: 404,
      api: 'berths',
      offered: expect.arrayContaining(['GET /berths/v1/berths/{id}']),
    });
  });

  test('the studio dies: callers are served on; the gateway restarts from disk and says that it runs an old revision', async () => {
    studio.config = config('r1', 1);
    const first = await start();
    await eventually('it runs', () => studio.of('applied').length > 0);
    await studio.stop();
    expect((await ask(first)).status).toBe(200);
    await first.stop();
    running.splice(running.indexOf(first), 1);
    const second = await start();
    expect((await ask(second)).status).toBe(200);
    expect(await (await fetch(`http://127.0.0.1:${second.controlPort}/readyz`)).json()).toMatchObject({
      ready: true,
      revision: 'r1',
      feed: 'away',
      runningOldRevision: true,
    });
    expect(JSON.parse(await readFile(join(state, 'last-good.json'), 'utf8'))).toMatchObject({ revision: 'r1' });
  });

  test('a wrong token is refused and nothing runs', async () => {
    studio.config = config('r1', 1);
    const g = await start('wrong');
    await new Promise((r) => setTimeout(r, 300));
    expect((await ask(g)).status).toBe(404);
    expect((await fetch(`http://127.0.0.1:${g.controlPort}/readyz`)).status).toBe(503);
  });
});
