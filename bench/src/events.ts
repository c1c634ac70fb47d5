import { mkdtempSync, writeFileSync } from 'node:fs';
import { request, type ClientRequest } from 'node:http';
import { connect, createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  at,
  compare,
  HERE,
  HINGE,
  machine,
  memory,
  middle,
  startBeside,
  startCopies,
  stopAll,
  type Server,
} from './servers';

/**
 * `npm run bench:events [seconds] [job] [listeners]`: events per second from HTTP to mosquitto, against a bare fastify + mqtt handler, in slices that take
 * turns; then idle listeners on one gateway process: memory of each, and the time until one event has reached all.
 */
const LISTENERS = Number(process.argv[4] ?? 5000);
const EVENT = JSON.stringify({
  vessel: 'TV-40213',
  name: 'Grey Wagtail',
  berth: 'N-07',
  at: '2026-12-04T06:30:00Z',
});

async function mosquitto(): Promise<string> {
  const free = createServer();
  await new Promise<void>((r) => free.listen(0, '127.0.0.1', r));
  const { port } = free.address() as AddressInfo;
  await new Promise<void>((r) => free.close(() => r()));
  const file = join(mkdtempSync(join(tmpdir(), 'hinge-bench-')), 'broker.conf');
  writeFileSync(file, `listener ${port} 127.0.0.1\nallow_anonymous true\nuser root\nmax_queued_messages 0\n`);
  startBeside('/usr/sbin/mosquitto', ['-c', file]);
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

async function listeners({ port, pid }: Server): Promise<void> {
  const url = `http://127.0.0.1:${port}/feed/inside`;
  const before = memory(pid);
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
  const grown = memory(pid) - before;
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
  machine();
  const broker = await mosquitto();
  for (const qos of [0, 1] as const) {
    const gateways = await startCopies(
      'gateway',
      [HINGE, 'serve', documentFor(broker, qos), '--port', '0'],
      /listening on http:\/\/127\.0\.0\.1:(\d+)/,
    );
    const peers = await startCopies(
      'fastify + mqtt',
      [join(HERE, 'servers/fastify-mqtt.ts'), broker, String(qos)],
      /port (\d+)/,
    );
    await compare(
      `HTTP to MQTT, QoS ${qos}`,
      [at(gateways, '/feed/berthed'), at(peers, '/berthed')],
      { 'content-type': 'application/json' },
      undefined,
      EVENT,
    );
    if (qos === 1 && LISTENERS) await listeners(gateways[0]!);
  }
} finally {
  stopAll();
}
process.exit(0);
