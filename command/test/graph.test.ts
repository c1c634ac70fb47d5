import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { buildSchema } from 'graphql';
import { startBerths, startTown, type StandIn, type Town } from '@hinge/stand-ins';

const ROOT = fileURLToPath(new URL('../..', import.meta.url));
const BERTHS = join(ROOT, 'stand-ins/src/berths/contract');
const TOWN = join(ROOT, 'stand-ins/src/town/contract');
let berths: StandIn;
let town: Town;
let child: ChildProcess | undefined;
let address: string | undefined;
const folder = mkdtempSync(join(tmpdir(), 'hinge-graph-'));
const file = join(folder, 'graph.yaml');

const hinge = (...args: string[]) =>
  spawnSync(join(ROOT, 'hinge'), args, { encoding: 'utf8', env: { ...process.env, NODE_OPTIONS: '' } });

beforeAll(async () => {
  [berths, town] = await Promise.all([startBerths(), startTown(0, { quick: true })]);
});
afterAll(async () => {
  child?.kill('SIGTERM');
  await Promise.all([berths.stop(), town.stop()]);
  rmSync(folder, { recursive: true, force: true });
});

describe('one graph over SOAP and REST', () => {
  test('is drafted from four contracts without a finding, and exported as a schema that graphql reads', () => {
    const made = hinge(
      'draft',
      ...['berths.wsdl', 'berths.xsd', 'common.xsd'].map((f) => join(BERTHS, f)),
      ...['vessels', 'tides', 'pilots'].map((n) => join(TOWN, `${n}.openapi.yaml`)),
      ...['--as', 'graphql', '--base', '/harbour', '--out', file],
    );
    expect([made.status, made.stdout, made.stderr]).toEqual([0, `${file}: 13 operations at /harbour\n`, '']);
    expect(hinge('check', file).stdout).toBe('no findings\n');
    const sdl = hinge('export', file, '--as', 'graphql').stdout;
    expect(Object.keys(buildSchema(sdl).getQueryType()!.getFields())).toEqual(
      expect.arrayContaining(['getBerth', 'getVessel', 'getTideTable', 'getRoster']),
    );
  }, 60_000);

  test('served, it answers a query over three backends of three kinds at once', async () => {
    const backends = { 'berths-service': `http://127.0.0.1:${berths.port}/soap` };
    child = spawn(
      join(ROOT, 'hinge'),
      [
        ...['serve', file, '--port', '0'],
        ...Object.entries(backends).flatMap(([n, a]) => ['--set', `backend.${n}.address=${a}`]),
        ...['vessels', 'tides', 'pilots'].flatMap((n) => [
          '--set',
          `backend.${n}.address=http://127.0.0.1:${town.port}/${n}`,
        ]),
      ],
      { env: { ...process.env, NODE_OPTIONS: '' } },
    );
    let out = '';
    child.stdout!.on('data', (d: Buffer) => (out += d.toString()));
    child.stderr!.on('data', (d: Buffer) => (out += d.toString()));
    for (let i = 0; i < 400 && !out.includes('control on') && child.exitCode === null; i++)
      await new Promise((r) => setTimeout(r, 50));
    address = /listening on (http:\/\/127\.0\.0\.1:\d+)/.exec(out)?.[1];
    expect(out).toMatch(/^graphql .*, door graph: /m);
    expect([out, address]).toEqual([out, expect.any(String)]);
    const query = `query ($day: Date!) {
      getBerth(id: "N-07", officeCode: "TH-22") { berth { number quay } }
      getTideTable(day: $day) { __typename }
      getVessel(callNumber: "TV-40213") { name }
      lost: getVessel(callNumber: "TV-00000") { name }
    }`;
    const reply = await fetch(`${address}/harbour`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', accept: 'application/graphql-response+json' },
      body: JSON.stringify({ query, variables: { day: '2026-12-04' } }),
    });
    expect([reply.status, reply.headers.get('content-type')]).toEqual([
      200,
      'application/graphql-response+json; charset=utf-8',
    ]);
    const { data, errors } = (await reply.json()) as {
      data: Record<string, unknown>;
      errors: { path: string[]; extensions: { status: number } }[];
    };
    expect(data).toMatchObject({
      getBerth: { berth: { number: 'N-07' } },
      getTideTable: { __typename: 'TideTable' },
      getVessel: { name: 'Grey Wagtail' },
      lost: null,
    });
    expect(errors.map((e) => [e.path, e.extensions.status])).toEqual([[['lost'], 404]]);
  }, 60_000);

  test('asked for its types, it becomes a REST API, and a graph that checks each query and passes it on', async () => {
    const rest = join(folder, 'rest.yaml');
    const made = hinge('draft', `${address}/harbour`, '--as', 'rest', '--out', rest);
    expect([made.status, made.stderr]).toEqual([0, '']);
    expect(hinge('check', rest).stdout).toBe('no findings\n');
    const text = readFileSync(rest, 'utf8');
    expect(text).toContain(`address: ${address}/harbour`);
    expect(text).toContain('path: /vessels/{callNumber}');
    const checked = join(folder, 'checked.yaml');
    expect(hinge('draft', `${address}/harbour`, '--as', 'proxy', '--base', '/again', '--out', checked).status).toBe(0);
    const types = (f: string) =>
      Object.keys(buildSchema(hinge('export', f, '--as', 'graphql').stdout).getTypeMap()).sort();
    expect(types(checked)).toEqual(types(file));
    const code = new Promise((resolve) => child!.once('exit', resolve));
    child!.kill('SIGTERM');
    expect(await code).toBe(0);
  }, 60_000);
});
