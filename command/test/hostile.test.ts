import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { createServer, request, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** A gateway of its own, as anybody starts it, between callers and a backend that both mean ill. Its memory is looked at all the while. */
const ROOT = join(dirname(fileURLToPath(import.meta.url)), '../..');
const WSDL = join(ROOT, 'stand-ins/src/berths/contract/berths.wsdl');
const folder = mkdtempSync(join(tmpdir(), 'hinge-hostile-'));
const MIB = 2 ** 20;
const CHUNK = Buffer.alloc(MIB, 'x');

let backend: Server;
let gateway: ChildProcess;
let base = '';
let answer: (req: IncomingMessage, res: ServerResponse) => void = (_req, res) => res.end();

const exit = (child: ChildProcess) => new Promise<number | null>((resolve) => child.once('exit', resolve));
const hinge = (...args: string[]) =>
  spawn(join(ROOT, 'hinge'), args, { stdio: ['ignore', 'pipe', 'inherit'], env: { ...process.env, NODE_OPTIONS: '' } });

beforeAll(async () => {
  backend = createServer((req, res) => answer(req, res));
  await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve));
  const origin = `http://127.0.0.1:${(backend.address() as AddressInfo).port}`;
  const soap = join(folder, 'soap.yaml');
  const proxy = join(folder, 'proxy.yaml');
  expect(
    await exit(hinge('draft', WSDL, '--as', 'rest', '--address', `${origin}/soap`, '--base', '/b', '--out', soap)),
  ).toBe(0);
  expect(await exit(hinge('draft', '--as', 'proxy', '--address', origin, '--base', '/p', '--out', proxy))).toBe(0);
  gateway = hinge('serve', soap, proxy, '--port', '0');
  base = await new Promise<string>((resolve) => {
    let out = '';
    gateway.stdout!.on('data', (d: Buffer) => {
      out += d.toString();
      const m = /listening on (http:\/\/127\.0\.0\.1:\d+)/.exec(out);
      if (m) resolve(m[1]!);
    });
  });
}, 60_000);

afterAll(async () => {
  const gone = exit(gateway);
  gateway.kill('SIGTERM');
  expect(await gone).toBe(0);
  backend.closeAllConnections();
  await new Promise((resolve) => backend.close(resolve));
});

const resident = (): number =>
  (Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${gateway.pid}/status`, 'utf8'))![1]) * 1024) / MIB;

/** The highest line that memory reached while something went on, in MiB above where it began. */
async function growth(run: () => Promise<void>): Promise<number> {
  const before = resident();
  let most = before;
  const watch = setInterval(() => (most = Math.max(most, resident())), 20);
  await run();
  clearInterval(watch);
  return Math.max(most, resident()) - before;
}

interface Got {
  readonly status: number;
  readonly bytes: number;
  readonly text: string;
}

/** Sends `mib` MiB, or the body; reads the whole answer and keeps its beginning. */
function send(
  method: string,
  path: string,
  options: { mib?: number; body?: Buffer | string; headers?: Record<string, string> } = {},
): Promise<Got> {
  return new Promise((resolve, reject) => {
    const req = request(`${base}${path}`, { method, headers: { officeCode: 'TH-22', ...options.headers } }, (res) => {
      let bytes = 0;
      let text = '';
      res.on('data', (d: Buffer) => {
        bytes += d.length;
        if (text.length < 20_000) text += d.toString('latin1');
      });
      res.once('end', () => resolve({ status: res.statusCode!, bytes, text }));
      res.once('error', reject);
      res.once('close', () => reject(new Error('the answer broke off')));
    });
    // A caller that goes on writing after it was refused loses its connection; the answer came before.
    req.once('error', (e) => setTimeout(() => reject(e), 500));
    let left = options.mib ?? 0;
    const push = (): void => {
      while (left > 0) {
        left--;
        if (!req.write(CHUNK)) return void req.once('drain', push);
      }
      req.end(options.body);
    };
    push();
  });
}

const soapReply = (body: string | Buffer, type = 'text/xml; charset=utf-8') => {
  answer = (req, res) => {
    req.resume();
    req.once('end', () => res.writeHead(200, { 'content-type': type }).end(body));
  };
};
const ENVELOPE = '<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body>';
const find = () => send('GET', '/b/berths');

describe('300 MB', () => {
  test('passed on to a backend that takes them, and back: flat, however large', async () => {
    let taken = 0;
    answer = (req, res) => {
      req.on('data', (d: Buffer) => (taken += d.length));
      req.once('end', () => res.end());
    };
    expect(
      await growth(async () => void expect((await send('PUT', '/p/big', { mib: 300 })).status).toBe(200)),
    ).toBeLessThan(120);
    expect(taken).toBe(300 * MIB);
    answer = (req, res) => {
      req.resume();
      let left = 300;
      const push = (): void => {
        while (left > 0) {
          left--;
          if (!res.write(CHUNK)) return void res.once('drain', push);
        }
        res.end();
      };
      push();
    };
    expect(
      await growth(
        async () => void expect(await send('GET', '/p/big')).toMatchObject({ status: 200, bytes: 300 * MIB }),
      ),
    ).toBeLessThan(120);
  }, 60_000);

  test('sent where a step must read them: refused at the bound, with the bound in the words', async () => {
    const rise = await growth(async () => {
      const got = await send('POST', '/b/reservations', { mib: 300, headers: { 'content-type': 'application/json' } });
      expect(got.status).toBe(413);
      expect(got.text).toContain('16777216');
    });
    expect(rise).toBeLessThan(200);
  }, 60_000);

  test('answered by a backend where a step must read them: 502, and the backend is no longer listened to', async () => {
    let sent = 0;
    answer = (req, res) => {
      req.resume();
      res.writeHead(200, { 'content-type': 'text/xml' });
      const push = (): void => {
        while (sent < 300 && !res.destroyed) {
          sent++;
          if (!res.write(CHUNK)) return void res.once('drain', push);
        }
        res.end();
      };
      push();
    };
    const rise = await growth(async () => {
      const got = await find();
      expect(got.status).toBe(502);
      expect(JSON.parse(got.text)).toMatchObject({
        title: expect.any(String),
        detail: expect.stringMatching(/cannot be read|cut off/),
      });
    });
    expect(sent).toBeLessThan(120);
    expect(rise).toBeLessThan(350);
  }, 60_000);
});

describe('what a backend may answer', () => {
  const many = (n: number) =>
    `${ENVELOPE}<a ${Array.from({ length: n }, (_, i) => `b${i}=""`).join(' ')}/></s:Body></s:Envelope>`;
  test.each<[string, () => string | Buffer]>([
    ['six million attributes, as many as 64 MiB hold', () => `${many(6_000_000).slice(0, 63 * MIB)}`],
    ['elements 100,000 deep', () => ENVELOPE + '<a>'.repeat(100_000)],
    [
      'an entity bomb',
      () => `<!DOCTYPE a [<!ENTITY b "bbbb"><!ENTITY c "&b;&b;&b;">]>${ENVELOPE}&c;</s:Body></s:Envelope>`,
    ],
    ['an external entity', () => `<!DOCTYPE a SYSTEM "file:///etc/passwd">${ENVELOPE}</s:Body></s:Envelope>`],
    [
      'bytes that are no UTF-8',
      () =>
        Buffer.concat([Buffer.from(ENVELOPE), Buffer.from([0xc3, 0x28, 0xff]), Buffer.from('</s:Body></s:Envelope>')]),
    ],
    ['the envelope of another namespace', () => '<s:Envelope xmlns:s="urn:other"><s:Body/></s:Envelope>'],
    [
      'an element of another namespace',
      () => `${ENVELOPE}<x:FindBerthsResponse xmlns:x="urn:other"/></s:Body></s:Envelope>`,
    ],
    ['an attribute twice', () => `${ENVELOPE}<a b="1" b="2"/></s:Body></s:Envelope>`],
    ['half an envelope', () => `${ENVELOPE}<b:FindBerthsResponse xmlns:b="urn:tarnhaven:berths:2"><b:to`],
    ['nothing', () => ''],
    ['a page of HTML with status 200', () => '<html><body>maintenance'],
    [
      'a number of a million digits',
      () =>
        `${ENVELOPE}<b:FindBerthsResponse xmlns:b="urn:tarnhaven:berths:2"><b:total>${'9'.repeat(1_000_000)}</b:total></b:FindBerthsResponse></s:Body></s:Envelope>`,
    ],
  ])(
    '%s: 502, nothing of it is passed on, memory stays',
    async (name, body) => {
      soapReply(body(), name.includes('HTML') ? 'text/html' : undefined);
      const rise = await growth(async () => {
        const got = await find();
        expect({ status: got.status, type: JSON.parse(got.text).type !== undefined }).toEqual({
          status: 502,
          type: true,
        });
        expect(got.text).not.toContain('passwd');
        expect(got.bytes).toBeLessThan(4_000);
      });
      expect(rise).toBeLessThan(450);
    },
    60_000,
  );

  test('an answer that is cut off: 502 where it is read, a broken connection where it is passed on', async () => {
    answer = (req, res) => {
      req.resume();
      res.writeHead(200, { 'content-type': 'text/xml', 'content-length': '5000' });
      res.write(ENVELOPE);
      setTimeout(() => res.destroy(), 50);
    };
    expect((await find()).status).toBe(502);
    await expect(send('GET', '/p/x')).rejects.toThrow();
  });
});

describe('what a caller may send', () => {
  const json = { 'content-type': 'application/json' };
  test.each<[string, string | Buffer, number, Record<string, string>]>([
    ['JSON 100,000 deep', '['.repeat(100_000), 400, json],
    ['JSON that is cut off', '{"berth":"N-07"', 400, json],
    ['bytes that are no UTF-8', Buffer.from([0x7b, 0x22, 0xff, 0xfe, 0x22, 0x3a, 0x31, 0x7d]), 400, json],
    ['a number of a million digits', `{"berth":"N-07","draughtMetres":${'9'.repeat(1_000_000)}}`, 400, json],
    ['a number beyond every double', '{"berth":"N-07","draughtMetres":1e999999}', 400, json],
    [
      'a hundred thousand members that nobody knows',
      `{${Array.from({ length: 100_000 }, (_, i) => `"m${i}":1`).join(',')}}`,
      400,
      json,
    ],
    ['__proto__ as a member', '{"__proto__":{"berth":"N-07"}}', 400, json],
    ['a content type that is not taken', 'berth=N-07', 415, { 'content-type': 'text/plain' }],
    [
      'XML with a document type',
      '<!DOCTYPE a SYSTEM "file:///etc/passwd"><a/>',
      400,
      { 'content-type': 'application/xml' },
    ],
  ])('%s', async (_name, body, status, headers) => {
    soapReply('');
    const got = await send('POST', '/b/reservations', { body, headers });
    expect({ status: got.status, text: got.text.slice(0, 300) }).toMatchObject({ status });
    expect((JSON.parse(got.text) as { errors?: unknown[] }).errors?.length ?? 0).toBeLessThan(101);
  });
});

test('after all that the gateway answers as before', async () => {
  soapReply(
    `${ENVELOPE}<b:FindBerthsResponse xmlns:b="urn:tarnhaven:berths:2"><b:total>0</b:total></b:FindBerthsResponse></s:Body></s:Envelope>`,
  );
  expect(await find()).toMatchObject({ status: 200, text: '{"total":0,"berth":[]}' });
});
