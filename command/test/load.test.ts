import { afterAll, afterEach, beforeAll, describe, expect, jest, test } from '@jest/globals';
import { Redis } from 'ioredis';
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { RealRedis } from '../../gateway/test/redis';

/** Served gateways, a store and a load tool, each a process of its own; gateways are killed as a crash does it. */
jest.setTimeout(60_000);
const ROOT = join(dirname(fileURLToPath(import.meta.url)), '../..');
const CONNECTIONS = 20;
let redis: RealRedis;
let look: Redis;
const children: ChildProcess[] = [];

beforeAll(async () => {
  redis = await RealRedis.start();
  look = new Redis(redis.url);
});
afterEach(async () => {
  for (const c of children.splice(0)) c.kill('SIGKILL');
  await look.flushall();
});
afterAll(async () => {
  look.disconnect();
  await redis.kill();
});

function file(calls: number): string {
  const at = join(mkdtempSync(join(tmpdir(), 'hinge-load-')), 'quay.hinge.yaml');
  writeFileSync(
    at,
    `hinge: 1
api: {name: Quay, version: "1"}
doors: [{name: public, path: /quay}]
guards: [{kind: rate, calls: ${calls}, seconds: 3600}]
operations:
  look: {method: GET, path: /, flow: [{kind: reply, mediaType: application/json, from: '"here"'}]}
`,
  );
  return at;
}

async function serve(document: string, port = 0): Promise<{ port: number; child: ChildProcess }> {
  const child = spawn(
    process.execPath,
    ['--no-warnings', join(ROOT, 'command/start.mjs'), 'serve', document, '--port', String(port), '--store', redis.url],
    { stdio: ['ignore', 'pipe', 'inherit'], env: { ...process.env, NODE_OPTIONS: '' } },
  );
  children.push(child);
  return new Promise((resolve, reject) => {
    let out = '';
    child.stdout.on('data', (d: Buffer) => {
      out += d.toString();
      const m = /listening on http:\/\/127\.0\.0\.1:(\d+)/.exec(out);
      if (m) resolve({ port: Number(m[1]), child });
    });
    child.once('exit', (code) => reject(new Error(`serve ended with ${code}: ${out}`)));
  });
}

interface Load {
  readonly '2xx': number;
  readonly '4xx': number;
  readonly '5xx': number;
  readonly errors: number;
  readonly resets: number;
}

/** autocannon from a process of its own. */
function load(port: number, args: readonly string[]): Promise<Load> {
  const child = spawn(
    process.execPath,
    [
      join(ROOT, 'node_modules/autocannon/autocannon.js'),
      '--json',
      '-c',
      String(CONNECTIONS),
      ...args,
      `http://127.0.0.1:${port}/quay/`,
    ],
    { stdio: ['ignore', 'pipe', 'ignore'], env: { ...process.env, NODE_OPTIONS: '' } },
  );
  children.push(child);
  let out = '';
  child.stdout.on('data', (d: Buffer) => (out += d.toString()));
  return new Promise((resolve) => child.once('exit', () => resolve(JSON.parse(out) as Load)));
}
const counted = async () => {
  const [key] = await look.keys('hinge:files:w *');
  return key === undefined ? 0 : look.zcard(key);
};

describe('under load from another process', () => {
  test('two gateways let in exactly as many as the limit says', async () => {
    const document = file(700);
    const [a, b] = await Promise.all([serve(document), serve(document)]);
    const [one, two] = await Promise.all([load(a.port, ['-a', '600']), load(b.port, ['-a', '600'])]);
    expect(one['2xx'] + two['2xx']).toBe(700);
    expect(one['4xx'] + two['4xx']).toBe(500);
    expect([one['5xx'], two['5xx'], one.errors, two.errors]).toEqual([0, 0, 0, 0]);
  });

  test('kill -9 of one gateway: its callers lose their connections and nothing else, those of the other nothing; no call is let in uncounted', async () => {
    const document = file(100_000);
    const [a, b] = await Promise.all([serve(document), serve(document)]);
    const loads = Promise.all([load(a.port, ['-d', '3']), load(b.port, ['-d', '3'])]);
    await new Promise((r) => setTimeout(r, 1_500));
    a.child.removeAllListeners('exit');
    a.child.kill('SIGKILL');
    await new Promise((r) => a.child.once('exit', r));
    await serve(document, a.port);
    const [killed, other] = await loads;
    expect([killed['4xx'], killed['5xx'], other['4xx'], other['5xx'], other.errors]).toEqual([0, 0, 0, 0, 0]);
    expect(killed.errors + killed.resets).toBeGreaterThan(0);
    const let_in = killed['2xx'] + other['2xx'];
    const all = await counted();
    expect(all).toBeGreaterThanOrEqual(let_in);
    // What was on its way when the gateway died, and when the load ended.
    expect(all - let_in).toBeLessThanOrEqual(3 * CONNECTIONS);
  });
});
