import autocannon from 'autocannon';
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { request, type ClientRequest } from 'node:http';
import { connect, createServer, type AddressInfo } from 'node:net';
import { cpus, tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/**
 * `npm run bench:events [seconds] [listeners]`: events per second from HTTP to mosquitto, against a bare fastify + mqtt handler, in turn, middle of three;
 * then idle listeners on one gateway process: memory of each, and the time until one event has reached all.
 */
const HERE = dirname(fileURLToPath(import.meta.url));
const ROOT = join(HERE, '../..');
const SECONDS = Number(process.argv[2] ?? 4);
const LISTENERS = Number(process.argv[3] ?? 5000);
const children: ChildProcess[] = [];

function start(args: readonly string[], line: RegExp): Promise<{ port: number; pid: number }> {
  const child = spawn(process.execPath, ['--no-warnings', '--import', 'tsx', ...args], {
    cwd: ROOT,
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  children.push(child);
  return new Promise((resolve, reject) => {
    let out = '';
    child.stdout.on('data', (d: Buffer) => {
      out += d.toString();
      const m = line.exec(out);
      if (m) resolve({ port: Number(m[1]), pid: child.pid! });
    });
    child.once('exit', (code) => reject(new Error(`a server ended with ${code}`)));
  });
}

async function mosquitto(): Promise<string> {
  const free = createServer();
  await new Promise<void>((r) => free.listen(0, '127.0.0.1', r));
  const { port } = free.address() as AddressInfo;
  await new Promise<void>((r) => free.close(() => r()));
  const file = join(mkdtempSync(join(tmpdir(), 'hinge-bench-')), 'broker.conf');
  writeFileSync(file, `listener ${port} 127.0.0.1\nallow_anonymous true\nuser root\nmax_queued_messages 0\n`);
  children.push(spawn('/usr/sbin/mosquitto', ['-c', file], { stdio: 'ignore' }));
  for (let n = 0; n < 100; n++) {
    const up = await new Promise<boolean>((resolve) => {
      const s = connect(port, '127.0.0.1', () => resolve(true)).once('error', () => resolve(false));
      s.once('close', () => undefined).unref();
    });
    if (up) return `mqtt://127.0.0.1:${port}`;
    await new Promise((r) => setTimeout(r, 50));
  }
  throw new Error('mosquitto did not start');
}

const rss = (pid: number): number =>
  Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024;
const middle = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1]!;
const load = async (port: number, path: string, seconds: number): Promise<number> => {
  const r = await autocannon({
    url: `http://127.0.0.1:${port}${path}`,
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ vessel: 'TV-40213', name: 'Grey Wagtail', berth: 'N-07', at: '2026-12-04T06:30:00Z' }),
    connections: 50,
    duration: seconds,
  });
  if (r.non2xx || r.errors) throw new Error(`${path}: ${r.non2xx} answers were not 2xx, ${r.errors} errors`);
  return r.requests.average;
};

function documentFor(broker: string, qos: 0 | 1): string {
  const file = join(mkdtempSync(join(tmpdir(), 'hinge-bench-')), `feed${qos}.hinge.yaml`);
  writeFileSync(
    file,
    JSON.stringify({
      hinge: 1,
      api: { name: 'Feed', version: '1' },
      doors: [{ name: 'feed', path: '/feed', answers: 'events' }],
      brokers: { b: { address: broker } },
      topics: {
        berthed: {
          broker: 'b',
          address: 'bench/berthed',
          qos,
          schema: { type: 'object', properties: { vessel: { type: 'string' } }, required: ['vessel'] },
        },
        inside: {},
      },
      operations: {},
    }),
  );
  return file;
}

async function listeners(port: number, pid: number): Promise<void> {
  const url = `http://127.0.0.1:${port}/feed/inside`;
  const before = rss(pid);
  let reached = 0;
  let all: () => void = () => undefined;
  const open: ClientRequest[] = [];
  const one = () =>
    new Promise<void>((resolve, reject) => {
      const req = request(url, { headers: { accept: 'text/event-stream' }, agent: false }, (res) => {
        res.on('data', (d: Buffer) => {
          if (d.includes('data: ') && ++reached === LISTENERS) all();
        });
        resolve();
      });
      req.once('error', reject);
      req.end();
      open.push(req);
    });
  for (let n = 0; n < LISTENERS; n += 100) await Promise.all(Array.from({ length: Math.min(100, LISTENERS - n) }, one));
  await new Promise((r) => setTimeout(r, 3000));
  const grown = rss(pid) - before;
  console.log(`\n${LISTENERS} idle listeners on one gateway process`);
  console.log(`  ${((grown * 1024) / LISTENERS).toFixed(1)} KiB each (${grown.toFixed(0)} MiB more than without)`);
  const times: number[] = [];
  for (let n = 0; n < 5; n++) {
    reached = 0;
    const done = new Promise<void>((r) => (all = r));
    const began = performance.now();
    await fetch(url, { method: 'POST', headers: { 'content-type': 'application/json' }, body: '{"n":1}' });
    await done;
    times.push(performance.now() - began);
  }
  console.log(
    `  one event has reached all after ${middle(times).toFixed(0)} ms (middle of five; sender and readers share the machine)`,
  );
  for (const req of open) req.destroy();
}

try {
  console.log(
    `${cpus()[0]?.model ?? 'cpu'}, ${cpus().length} cores, Node ${process.version}, 50 connections, ${SECONDS} s a measurement, middle of three`,
  );
  const broker = await mosquitto();
  const main = join(ROOT, 'command/src/main.ts');
  for (const qos of [0, 1] as const) {
    const gateway = await start(
      [main, 'serve', documentFor(broker, qos), '--port', '0'],
      /listening on http:\/\/127\.0\.0\.1:(\d+)/,
    );
    const peer = await start([join(HERE, 'servers/fastify-mqtt.ts'), broker, String(qos)], /port (\d+)/);
    const results: [number[], number[]] = [[], []];
    await load(gateway.port, '/feed/berthed', 2);
    await load(peer.port, '/berthed', 2);
    for (let round = 0; round < 3; round++) {
      results[0].push(await load(gateway.port, '/feed/berthed', SECONDS));
      results[1].push(await load(peer.port, '/berthed', SECONDS));
    }
    const [ours, theirs] = [middle(results[0]), middle(results[1])];
    console.log(`\nHTTP to MQTT, QoS ${qos}`);
    console.log(`  gateway         ${ours.toFixed(0).padStart(6)} events/s`);
    console.log(
      `  fastify + mqtt  ${theirs.toFixed(0).padStart(6)} events/s   the gateway does ${(ours / theirs).toFixed(2)} x`,
    );
    if (qos === 1) await listeners(gateway.port, gateway.pid);
  }
} finally {
  for (const c of children) c.kill('SIGKILL');
}
process.exit(0);
