import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { ServerResponse } from 'node:http';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { writeShort } from '../src/http/short-reply';

type Fields = readonly string[];

/** The same reply in our way and in Node's, which is the judge of what goes out. */
let server: Server;
let port: number;
let wanted: { status: number; fields: Fields; body: string };
const taken: boolean[] = [];

beforeAll(async () => {
  server = createServer({ keepAliveTimeout: 65_000 }, (req: IncomingMessage, res: ServerResponse) => {
    const { status, fields, body } = wanted;
    if (req.url === '/closing') res.setHeader('connection', 'close');
    const given = req.url === '/bytes' ? Buffer.from(body, 'latin1') : body;
    const own = req.url !== '/node' && writeShort(req, res, status, fields, given);
    taken.push(own);
    if (own) return;
    try {
      res.writeHead(status, [...fields]);
      res.end(req.method === 'HEAD' ? undefined : body, 'latin1');
    } catch (error) {
      res.writeHead(500, ['content-length', '0', 'x-error', (error as { code: string }).code]);
      res.end();
    }
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  port = (server.address() as AddressInfo).port;
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});

/** What comes back for the text of one or more requests, until nothing more comes for a moment or the server closes. */
function raw(text: string, until: RegExp): Promise<{ text: string; closed: boolean }> {
  return new Promise((resolve, reject) => {
    const socket = connect(port, '127.0.0.1', () => socket.write(text, 'latin1'));
    let out = '';
    const end = (closed: boolean) => {
      socket.destroy();
      resolve({ text: out, closed });
    };
    socket.setEncoding('latin1');
    socket.on('data', (d: string) => {
      out += d;
      if (until.test(out)) setTimeout(() => end(false), 30);
    });
    socket.on('end', () => end(true));
    socket.on('error', reject);
  });
}

const get = (path: string, more = '') => `GET ${path} HTTP/1.1\r\nhost: quay\r\n${more}\r\n`;
const reply = (fields: Fields, body = 'tide', status = 200): void => {
  wanted = {
    status,
    fields: status === 204 || status === 304 ? fields : [...fields, 'content-length', String(body.length)],
    body,
  };
};
/** Without what the clock says. */
const still = (text: string) => text.replace(/Date: \w{3}, \d\d \w{3} \d{4} \d\d:\d\d:\d\d GMT/g, 'Date: now');

describe('a short reply goes out as Node would write it', () => {
  const cases: [string, number, Fields, string][] = [
    ['usual fields', 200, ['content-type', 'text/plain', 'x-berth', 'N-07'], 'tide'],
    ['no body', 204, ['x-berth', 'N-07'], ''],
    ['a body that its status does not have', 204, ['x-berth', 'N-07'], 'tide'],
    ['another', 304, ['etag', '"7"'], 'tide'],
    ['an empty body', 200, [], ''],
    ['a status without words', 299, [], 'tide'],
    ['a date that the backend gave', 200, ['date', 'Wed, 09 Jun 2027 10:18:14 GMT'], 'tide'],
    ['a name in capitals', 200, ['X-Berth', 'N-07'], 'tide'],
    ['one name twice', 200, ['set-cookie', 'a=1', 'set-cookie', 'b=2'], 'tide'],
    ['bytes that are not ASCII', 200, ['x-quay', 'K\xe4i'], '\x00\xff\xe4'],
    ['an empty value', 200, ['x-empty', ''], 'tide'],
    ['more than a page', 200, [], 'x'.repeat(20_000)],
  ];
  test.each(cases)('%s', async (_what, status, fields, body) => {
    reply(fields, body, status);
    taken.length = 0;
    const until = body && status !== 204 && status !== 304 ? new RegExp(`${body}$`) : /\r\n\r\n$/;
    const nodes = await raw(get('/node'), until);
    // A field that comes twice with the same value is not put together anew.
    for (const path of ['/ours', '/bytes', '/bytes']) {
      const ours = await raw(get(path), until);
      expect(still(ours.text)).toBe(still(nodes.text));
      expect(ours.closed).toBe(false);
    }
    expect(taken).toEqual([false, true, true, true]);
  });

  test('the date is that of now', async () => {
    reply([]);
    const { text } = await raw(get('/ours'), /tide$/);
    const told = Date.parse(/^Date: (.*)$/m.exec(text)![1]!);
    expect(Math.abs(told - Date.now())).toBeLessThan(2_000);
  });
});

describe('left to Node', () => {
  const others: [string, string, RegExp, boolean][] = [
    ['HEAD', get('/ours').replace('GET', 'HEAD'), /^HTTP\/1\.1 200 OK\r\n(?![^]*tide)/, false],
    ['HTTP/1.0', 'GET /ours HTTP/1.0\r\n\r\n', /Connection: close\r\n[^]*tide$/, true],
    ['a caller that wants to close', get('/ours', 'connection: close\r\n'), /Connection: close\r\n[^]*tide$/, true],
    ['a gateway that wants to close', get('/closing'), /connection: close\r\n[^]*tide$/, true],
  ];
  test.each(others)('%s', async (_what, text, shape, closes) => {
    reply(['x-berth', 'N-07']);
    taken.length = 0;
    const answer = await raw(text, /\r\n\r\n(tide)?$/);
    expect(taken).toEqual([false]);
    expect(answer.text).toMatch(shape);
    expect(answer.closed).toBe(closes);
  });

  test.each([
    ['a line break in a value', ['x-berth', 'N-07\r\nx-forged: 1']],
    ['a character beyond one byte', ['x-berth', 'N\u2013 7']],
    ['a name with a blank', ['x berth', 'N-07']],
    ['an empty name', ['', 'N-07']],
  ])('%s: nothing of it goes out', async (_what, fields) => {
    reply(fields);
    const { text } = await raw(get('/ours'), /\r\n\r\n$/);
    expect(text).toMatch(/^HTTP\/1\.1 500 /);
    expect(text).toMatch(/x-error: ERR_INVALID_(CHAR|HTTP_TOKEN)/);
    expect(text).not.toContain('forged');
  });

  test.each(['Transfer-Encoding', 'connection', 'Keep-Alive', 'trailer'])(
    '%s, which says how to go on',
    async (name) => {
      reply([name, name === 'trailer' ? 'x-sum' : name === 'connection' ? 'close' : 'timeout=1']);
      taken.length = 0;
      await raw(get('/ours'), /\r\n\r\n/);
      expect(taken).toEqual([false]);
    },
  );
});

test('requests one behind the other are answered in their order on one connection (RFC 9112 §9.3.2)', async () => {
  reply(['x-berth', 'N-07']);
  taken.length = 0;
  const { text, closed } = await raw(get('/ours') + get('/node') + get('/ours') + get('/ours'), /(tide[^]*){4}/);
  expect(text.match(/HTTP\/1\.1 200 OK/g)).toHaveLength(4);
  expect(text.match(/tide/g)).toHaveLength(4);
  expect(closed).toBe(false);
  // The first has the connection to itself; the others wait until those before them are out.
  expect(taken[0]).toBe(true);
});

test('ten thousand replies to one connection leave no listener and nothing of what was answered', async () => {
  reply(['x-berth', 'N-07']);
  const emitted: string[] = [];
  server.once('request', (_req: IncomingMessage, res: ServerResponse) => {
    res.once('finish', () => emitted.push(`finish ${res.writableEnded} ${res.headersSent}`));
    res.once('close', () => emitted.push('close'));
  });
  let connections = 0;
  const count = () => connections++;
  server.on('connection', count);
  const times = 10_000;
  await new Promise<void>((resolve, reject) => {
    const socket = connect(port, '127.0.0.1', () => socket.write(get('/ours')));
    let answered = 0;
    socket.setEncoding('latin1');
    socket.on('error', reject);
    socket.on('data', (d: string) => {
      answered += d.match(/tide/g)?.length ?? 0;
      if (answered < times) socket.write(get('/ours'));
      else {
        socket.destroy();
        resolve();
      }
    });
  });
  server.off('connection', count);
  expect(connections).toBe(1);
  expect(emitted).toEqual(['finish true true', 'close']);
});

test('a value that changes, and changes back, is the one that was given', async () => {
  for (const value of ['a', 'b', 'a', 'a', 'b', 'x'.repeat(200), 'b', 'b']) {
    reply(['x-berth', value]);
    expect((await raw(get('/bytes'), /tide$/)).text).toContain(`\r\nx-berth: ${value}\r\n`);
  }
});

test('bytes that are not with the system yet are not written over by the next reply', () => {
  const sent: { bytes: Buffer; at: ArrayBufferLike }[] = [];
  const write = (writableLength: number, body: string, encrypted = false) => {
    const socket = {
      encrypted,
      writableLength,
      write: (bytes: Buffer) => sent.push({ bytes, at: bytes.buffer }),
    };
    const res = { socket, shouldKeepAlive: true, headersSent: false, getHeaderNames: () => [] };
    const req = { httpVersion: '1.1', method: 'GET' };
    const bytes = Buffer.from(body);
    const of = ['content-length', String(bytes.length)];
    expect(writeShort(req as unknown as IncomingMessage, res as unknown as ServerResponse, 200, of, bytes)).toBe(true);
  };
  write(1_000, 'ebb');
  write(0, 'flood');
  write(0, 'slack');
  const [slow, second, third] = sent;
  expect(slow!.bytes.toString().endsWith('\r\n\r\nebb')).toBe(true);
  expect(second!.at).not.toBe(slow!.at);
  // What the system has taken whole is free for the next.
  expect(third!.at).toBe(second!.at);
  write(100, 'encrypted', true);
  expect(sent[3]!.bytes.toString().endsWith('\r\n\r\nencrypted')).toBe(true);
  write(0, 'ebb again');
  expect(sent[4]!.at).toBe(third!.at);
});

test('a caller that goes away before its reply harms no other', async () => {
  reply([], 'x'.repeat(10_000));
  for (let i = 0; i < 50; i++)
    await new Promise<void>((resolve) => {
      const socket = connect(port, '127.0.0.1', () => {
        socket.write(get('/ours'));
        socket.resetAndDestroy();
        resolve();
      });
      socket.on('error', () => resolve());
    });
  const { text } = await raw(get('/ours'), /x{10000}$/);
  expect(text).toMatch(/^HTTP\/1\.1 200 OK/);
});
