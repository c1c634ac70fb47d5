import { afterAll, beforeAll, expect, jest, test } from '@jest/globals';
import { connectAsync, type MqttClient } from 'mqtt';
import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { FlowDocument } from '@hinge/core';
import { freePort, Mosquitto } from './broker';
import { eventually } from './world';

/** A gateway that is killed without a word (SIGKILL) in the middle of its work, and started again: nothing that was acknowledged is lost. */

jest.setTimeout(60_000);

let mosquitto: Mosquitto;
let outside: MqttClient;
let receiver: Server;
let child: ChildProcess | undefined;
let port = 0;
let slowMs = 0;
const dir = mkdtempSync(join(tmpdir(), 'hinge-kill-'));
const heard = new Set<string>();
const called: string[] = [];

const document = (): FlowDocument => ({
  hinge: 1,
  api: { name: 'Port', version: '1' },
  doors: [
    {
      name: 'feed',
      path: '/feed',
      answers: 'events',
      webhooks: { callbacks: [`http://127.0.0.1:${(receiver.address() as AddressInfo).port}/`] },
    },
  ],
  brokers: { town: { address: mosquitto.address } },
  topics: { berthed: { broker: 'town', address: 'kill/berthed', form: 'cloudevents' } },
  operations: {},
});

beforeAll(async () => {
  mosquitto = await Mosquitto.start();
  outside = await connectAsync(mosquitto.address, { protocolVersion: 5 });
  outside.on('message', (_topic, payload) => heard.add((JSON.parse(payload.toString()) as { n: string }).n));
  await outside.subscribeAsync('kill/#', { qos: 1 });
  receiver = createServer((req, res) => {
    const chunks: Buffer[] = [];
    req.on('data', (d: Buffer) => chunks.push(d));
    req.on('end', () => {
      const challenge = new URL(req.url!, 'http://x').searchParams.get('hub.challenge');
      if (challenge !== null) {
        res.end(challenge);
        return;
      }
      setTimeout(() => {
        called.push((JSON.parse(Buffer.concat(chunks).toString()) as { data: { n: string } }).data.n);
        res.writeHead(204).end();
      }, slowMs);
    });
  });
  await new Promise<void>((resolve) => receiver.listen(0, '127.0.0.1', resolve));
  port = await freePort();
  // What the studio sent last: the gateway starts from it.
  writeFileSync(
    join(dir, 'last-good.json'),
    JSON.stringify({ revision: 'kept', apis: [{ slug: 'port', document: document() }] }),
  );
});
afterAll(async () => {
  await kill();
  await outside.endAsync(true);
  receiver.closeAllConnections();
  await new Promise((resolve) => receiver.close(resolve));
  await mosquitto.kill();
});

async function start(): Promise<void> {
  child = spawn(
    process.execPath,
    ['--no-warnings', '--import', 'tsx', 'src/main.ts', '--port', String(port), '--control-port', '0', '--state', dir],
    { cwd: join(process.cwd(), 'gateway'), stdio: 'ignore' },
  );
  await eventually(
    'the gateway',
    () =>
      fetch(`http://127.0.0.1:${port}/`).then(
        () => true,
        () => false,
      ),
    20_000,
  );
}
const kill = async (): Promise<void> => {
  const dying = child;
  if (!dying || dying.exitCode !== null || dying.signalCode !== null) return;
  const gone = new Promise((resolve) => dying.once('exit', resolve));
  dying.kill('SIGKILL');
  await gone;
};

test('what was answered 202 is with the broker', async () => {
  await start();
  const accepted = new Set<string>();
  let unanswered = 0;
  let going = true;
  let n = 0;
  const load = async (): Promise<void> => {
    while (going) {
      const id = `p${n++}`;
      try {
        const r = await fetch(`http://127.0.0.1:${port}/feed/berthed`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({ n: id }),
        });
        await r.arrayBuffer();
        if (r.status === 202) accepted.add(id);
      } catch {
        unanswered++;
        await new Promise((r) => setTimeout(r, 20));
      }
    }
  };
  const all = Promise.all(Array.from({ length: 16 }, load));
  for (let round = 0; round < 2; round++) {
    const before = accepted.size;
    await eventually('load', () => accepted.size > before + 200);
    await kill();
    await start();
  }
  await eventually('load again', () => accepted.size > 600);
  going = false;
  await all;
  await new Promise((r) => setTimeout(r, 300));
  expect(unanswered).toBeGreaterThan(0);
  expect([...accepted].filter((id) => !heard.has(id))).toEqual([]);
});

test('a subscription goes on after it, and every event of the broker is delivered, those of the meantime too', async () => {
  const base = `http://127.0.0.1:${port}/feed`;
  const callback = `http://127.0.0.1:${(receiver.address() as AddressInfo).port}/hook`;
  const r = await fetch(`${base}/hub`, {
    method: 'POST',
    body: new URLSearchParams({
      'hub.mode': 'subscribe',
      'hub.topic': `${base}/berthed`,
      'hub.callback': callback,
      'hub.secret': 's',
    }),
  });
  expect(r.status).toBe(202);
  await eventually('it to be kept', () => kept().includes(callback));
  await eventually('the first delivery', async () => {
    await publish('probe');
    return called.length > 0;
  });
  slowMs = 20;
  const ids = Array.from({ length: 60 }, (_, i) => `w${i}`);
  for (const id of ids.slice(0, 40)) await publish(id);
  await eventually('some deliveries', () => called.some((c) => c.startsWith('w1')));
  await kill();
  for (const id of ids.slice(40)) await publish(id);
  await start();
  await eventually('all of them', () => ids.every((id) => called.includes(id)), 20_000);
  // In their order, but for those in flight, which may come twice.
  const firsts = ids.map((id) => called.indexOf(id));
  expect([...firsts].sort((a, b) => a - b)).toEqual(firsts);
});

function kept(): string {
  const file = join(dir, 'subscriptions.json');
  return existsSync(file) ? readFileSync(file, 'utf8') : '';
}

const publish = (n: string) =>
  outside.publishAsync('kill/berthed', JSON.stringify({ n }), {
    qos: 1,
    properties: {
      contentType: 'application/json',
      userProperties: { specversion: '1.0', id: n, source: '/town', type: 'berthed' },
    },
  });
