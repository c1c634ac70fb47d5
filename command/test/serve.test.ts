import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const ROOT = join(dirname(fileURLToPath(import.meta.url)), '../..');
const folder = mkdtempSync(join(tmpdir(), 'hinge-serve-'));
const env = { ...process.env, NODE_OPTIONS: '' };
const hinge = (...args: string[]) =>
  spawnSync(join(ROOT, 'hinge'), args, { encoding: 'utf8', cwd: folder, env, timeout: 20_000 });

interface Running {
  readonly child: ChildProcess;
  readonly url: string;
  readonly control: string;
  readonly err: () => string;
  stop(): Promise<number | null>;
}
const running: Running[] = [];

async function serve(...args: string[]): Promise<Running> {
  const child = spawn(join(ROOT, 'hinge'), ['serve', ...args], { cwd: folder, env });
  let out = '';
  let err = '';
  child.stdout.on('data', (d: Buffer) => (out += d.toString()));
  child.stderr.on('data', (d: Buffer) => (err += d.toString()));
  const until = Date.now() + 20_000;
  while (!out.includes('control on')) {
    if (child.exitCode !== null || Date.now() > until) throw new Error(`it did not start: ${err}`);
    await new Promise((r) => setTimeout(r, 30));
  }
  const r: Running = {
    child,
    url: /listening on (\S+)/.exec(out)![1]!,
    control: /control on (\S+)/.exec(out)![1]!,
    err: () => err,
    stop: () =>
      new Promise((resolve) => {
        if (child.exitCode !== null) return resolve(child.exitCode);
        child.once('exit', (code) => resolve(code));
        child.kill('SIGTERM');
      }),
  };
  running.push(r);
  return r;
}
const until = async (what: string, holds: () => boolean | Promise<boolean>): Promise<void> => {
  const end = Date.now() + 10_000;
  while (!(await holds())) {
    if (Date.now() > end) throw new Error(`never: ${what}`);
    await new Promise((r) => setTimeout(r, 50));
  }
};

let backend: Server;
let address: string;
beforeAll(async () => {
  backend = createServer((req, res) => {
    res.setHeader('content-type', 'application/json');
    res.end(JSON.stringify({ url: req.url, host: req.headers.host }));
  });
  await new Promise<void>((r) => backend.listen(0, '127.0.0.1', r));
  address = `http://127.0.0.1:${(backend.address() as AddressInfo).port}`;
});
afterEach(() => Promise.all(running.splice(0).map((r) => r.stop())));
afterAll(() => void backend.close());

const write = (name: string, text: string): string => {
  mkdirSync(dirname(join(folder, name)), { recursive: true });
  writeFileSync(join(folder, name), text);
  return name;
};
const flow = (base: string, reply: string): string =>
  `hinge: 1\napi: { name: ${base.slice(1)}, version: '1' }\ndoors: [{ name: public, path: ${base} }]\noperations:\n  Do: { method: GET, path: /x, flow: [{ kind: reply, from: '${reply}' }] }\n`;

describe('serve', () => {
  test('a port that is taken is one line that names the option, and an end', async () => {
    const one = write('one.hinge.yaml', flow('/one', '1'));
    const taken = new URL(address).port;
    for (const option of ['--port', '--control-port']) {
      const r = hinge('serve', one, '--port', '0', option, taken);
      expect([r.status, r.stderr.trim().split('\n').at(-1)]).toEqual([
        1,
        `hinge: port ${taken} is in use; choose another with ${option}`,
      ]);
    }
  });

  test('--env chooses addresses, --values gives env.NAME', async () => {
    const doc = write(
      'env.hinge.yaml',
      `hinge: 1\napi: { name: E, version: '1' }\ndoors: [{ name: public, path: /e }]\nbackends:\n  one: { addresses: { harbour: '${address}/harbour' } }\noperations:\n  Do: { method: GET, path: /x, flow: [{ kind: call, backend: one }] }\n  Env: { method: GET, path: /env, flow: [{ kind: reply, from: env.town }] }\n`,
    );
    write('values.yaml', 'town: Tarnhaven\n');
    const r = await serve(doc, '--port', '0', '--env', 'harbour', '--values', 'values.yaml');
    expect(await (await fetch(`${r.url}/e/env`)).json()).toBe('Tarnhaven');
    expect(await (await fetch(`${r.url}/e/x`)).json()).toMatchObject({ url: '/harbour/x' });
  });

  test('two files of one name are both served', async () => {
    const a = write('a/api.hinge.yaml', flow('/a', '"a"'));
    const b = write('b/api.hinge.yaml', flow('/b', '"b"'));
    const r = await serve(a, b, '--port', '0');
    expect(await (await fetch(`${r.url}/a/x`)).json()).toBe('a');
    expect(await (await fetch(`${r.url}/b/x`)).json()).toBe('b');
    expect(hinge('serve', a, a, '--port', '0').stderr).toContain(`${a} is given twice`);
  });

  test('a change is taken without losing a request; a broken file keeps its last good state, the others are taken', async () => {
    const c = write('c.hinge.yaml', flow('/c', '1'));
    const d = write('d.hinge.yaml', flow('/d', '1'));
    const r = await serve(c, d, '--port', '0');
    const seen = new Set<unknown>();
    let going = true;
    let lost = 0;
    const caller = (async () => {
      while (going) {
        const reply = await fetch(`${r.url}/c/x`).catch(() => undefined);
        if (reply?.status === 200) seen.add(await reply.json());
        else lost++;
      }
    })();
    write('c.hinge.yaml', flow('/c', '2'));
    await until('the change is taken', () => seen.has(2));
    write('c.hinge.yaml', 'hinge: 1\napi: [');
    write('d.hinge.yaml', flow('/d', '3'));
    await until('the other file is taken', async () => (await (await fetch(`${r.url}/d/x`)).json()) === 3);
    expect(r.err()).toContain('c.hinge.yaml cannot be used, the last good one goes on');
    write('c.hinge.yaml', flow('/c', '4'));
    r.child.kill('SIGHUP');
    await until('what was mended is taken', () => seen.has(4));
    going = false;
    await caller;
    expect(lost).toBe(0);
    expect(await r.stop()).toBe(0);
  });

  test('each failed request is one line for its owner, and stands at the control port', async () => {
    const doc = write(
      'f.hinge.yaml',
      `hinge: 1\napi: { name: F, version: '1' }\ndoors: [{ name: public, path: /f }]\nbackends:\n  away: { address: 'http://127.0.0.1:1' }\noperations:\n  Do: { method: GET, path: /x, flow: [{ kind: set, values: { a: '1' } }, { kind: call, name: ask, backend: away }] }\n  Bad: { method: GET, path: /bad, flow: [{ kind: reply, from: '$number("x")' }] }\n`,
    );
    const r = await serve(doc, '--port', '0');
    const reply = (await (await fetch(`${r.url}/f/x?q=1`)).json()) as { status: number; traceId: string };
    expect(reply.status).toBe(503);
    await fetch(`${r.url}/f/bad`);
    await until('it is told', () => r.err().includes('failed: f Bad'));
    expect(r.err()).toMatch(
      new RegExp(`^failed: f Do, call "ask" at /1: 503 HNG-502 .*ECONNREFUSED.* \\(trace ${reply.traceId}\\)$`, 'm'),
    );
    expect(r.err()).toMatch(/^failed: f Bad, reply at \/0: 500 HNG-420 .+ \(trace [0-9a-f]{32}\)$/m);
    await until('the trace is kept', async () => (await fetch(`${r.control}/traces/${reply.traceId}`)).status === 200);
    const trace = (await (await fetch(`${r.control}/traces/${reply.traceId}`)).json()) as {
      steps: unknown[];
      error: unknown;
    };
    expect(trace.steps).toHaveLength(2);
    const { traces } = (await (await fetch(`${r.control}/traces`)).json()) as { traces: { status: number }[] };
    expect(traces.map((t) => t.status).sort()).toEqual([500, 503]);
  });

  test('fields about the way of a request are believed of named proxies alone', async () => {
    const doc = write(
      'w.hinge.yaml',
      `hinge: 1\napi: { name: W, version: '1' }\ndoors: [{ name: public, path: /w, guards: [{ kind: network, allow: ['203.0.113.0/24'] }] }]\noperations:\n  Do: { method: GET, path: /x, flow: [{ kind: reply, from: '"in"' }] }\n`,
    );
    const headers = { 'x-forwarded-for': '198.51.100.1, 203.0.113.9' };
    const plain = await serve(doc, '--port', '0');
    expect((await fetch(`${plain.url}/w/x`, { headers })).status).toBe(403);
    const trusting = await serve(doc, '--port', '0', '--trust-proxy', '127.0.0.0/8');
    expect((await fetch(`${trusting.url}/w/x`, { headers })).status).toBe(200);
    expect((await fetch(`${trusting.url}/w/x`, { headers: { forwarded: 'for=203.0.113.7;proto=https' } })).status).toBe(
      200,
    );
    expect(
      (await fetch(`${trusting.url}/w/x`, { headers: { 'x-forwarded-for': '203.0.113.9, 198.51.100.1' } })).status,
    ).toBe(403);
    expect(hinge('serve', doc, '--port', '0', '--trust-proxy', 'everybody').stderr).toContain(
      'everybody is no address',
    );
  });
});

describe('rehearse', () => {
  test('takes several files, a door, an app, values and secrets, and refuses misspelled members', () => {
    const doc = write(
      'r.hinge.yaml',
      `hinge: 1\napi: { name: R, version: '1' }\ndoors: [{ name: first, path: /r }, { name: second, path: /s }]\nplans: { quay: { values: { n: 7 } } }\napps: { kittiwake: { name: Kittiwake, plan: quay, keys: [] } }\noperations:\n  Who: { method: GET, path: /x, flow: [{ kind: reply, from: '[app.name, plan.values.n, env.town]' }] }\n`,
    );
    const other = write('other.hinge.yaml', flow('/other', '1'));
    write('values.yaml', 'town: Tarnhaven\n');
    write('ask.json', '{}');
    write('wrong.json', '{"pathh": {}}');
    const args = [
      'rehearse',
      other,
      doc,
      '--operation',
      'Who',
      '--as',
      'kittiwake',
      '--door',
      'second',
      '--values',
      'values.yaml',
    ];
    const r = hinge(...args, '--request', 'ask.json');
    expect(r.stderr).toBe('');
    expect((JSON.parse(r.stdout) as { reply: { body: unknown } }).reply.body).toEqual(['Kittiwake', 7, 'Tarnhaven']);
    expect(hinge(...args, '--request', 'wrong.json').stderr).toContain('there is no member pathh of a request');
    expect(hinge(...args.slice(0, -4), '--door', 'third', '--request', 'ask.json').stderr).toContain(
      'there are first, second',
    );
    expect(hinge('rehearse', doc, '--operation', 'Who', '--as', 'nobody', '--request', 'ask.json').stderr).toContain(
      'there are kittiwake',
    );
  });
});
