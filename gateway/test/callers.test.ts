import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { connect, type AddressInfo, type Socket } from 'node:net';
import { CallerConnections, LightResponse } from '../src/http/callers';
import { writeShort } from '../src/http/short-reply';
import { eventually } from './world';

const KEEP_MS = 260;
let server: Server;
let callers: CallerConnections;
let answer: (req: IncomingMessage, res: ServerResponse) => void;
const open: Socket[] = [];

beforeEach(async () => {
  callers = new CallerConnections(KEEP_MS);
  answer = (_req, res) => void res.end('tide');
  server = createServer({ keepAliveTimeout: 0, ServerResponse: LightResponse }, (req, res) => {
    callers.asked(req.socket);
    answer(req, res);
  });
  server.on('connection', (socket: Socket) => callers.opened(socket));
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
});
afterEach(() => {
  for (const socket of open.splice(0)) socket.destroy();
  callers.stop();
  server.closeAllConnections();
  server.close();
});

const GET = 'GET / HTTP/1.1\r\nhost: quay\r\n\r\n';

/** A connection: what has come, and the milliseconds until the other side closed it. */
function caller(): { socket: Socket; text: () => string; closed: Promise<number> } {
  const { port } = server.address() as AddressInfo;
  const began = performance.now();
  let text = '';
  const socket = connect(port, '127.0.0.1');
  open.push(socket);
  socket.setEncoding('latin1').on('data', (d: string) => (text += d));
  socket.on('error', () => {});
  const closed = new Promise<number>((resolve) => socket.on('close', () => resolve(performance.now() - began)));
  return { socket, text: () => text, closed };
}

const wait = (ms: number) => new Promise((r) => setTimeout(r, ms));

test('one without a request, and one whose request is answered, close when their time is up', async () => {
  const silent = caller();
  const asking = caller();
  asking.socket.write(GET);
  await eventually('it is answered', () => asking.text().includes('tide'));
  expect(callers.count).toBe(2);
  for (const ms of await Promise.all([silent.closed, asking.closed])) expect(ms).toBeGreaterThan(KEEP_MS - 30);
  await eventually('both are forgotten', () => callers.count === 0);
});

test('each request, and each part of one, begins the time anew', async () => {
  const c = caller();
  const pieces = [GET, GET.slice(0, 10), GET.slice(10), GET];
  for (const piece of pieces) {
    await wait(KEEP_MS / 2);
    c.socket.write(piece);
  }
  await eventually('all three are answered', () => c.text().match(/tide/g)?.length === 3);
  expect(await c.closed).toBeGreaterThan(2 * KEEP_MS);
});

test('a reply that takes longer is not cut off; its time begins when it is out', async () => {
  answer = (_req, res) => {
    res.write('slow ');
    setTimeout(() => res.end('tide'), 3 * KEEP_MS);
  };
  const c = caller();
  c.socket.write(GET);
  await eventually('it is answered', () => c.text().includes('tide'));
  expect(await c.closed).toBeGreaterThan(4 * KEEP_MS - 30);
});

test('one behind the other: none is idle before the last is out', async () => {
  let first: ServerResponse | undefined;
  answer = (req, res) => {
    if (!first) first = res;
    else if (!writeShort(req, res, 200, ['content-length', '4'], 'tide'))
      setTimeout(() => res.end('tide'), 2 * KEEP_MS);
  };
  const c = caller();
  c.socket.write(GET + GET);
  await wait(KEEP_MS);
  first!.end('tide');
  await eventually('both are answered', () => c.text().match(/tide/g)?.length === 2);
  expect(await c.closed).toBeGreaterThan(3 * KEEP_MS - 60);
});

test('short replies of our own end like those of Node', async () => {
  answer = (req, res) => {
    expect(writeShort(req, res, 200, ['content-length', '4'], 'tide')).toBe(true);
  };
  const c = caller();
  c.socket.write(GET);
  await eventually('it is answered', () => c.text().endsWith('tide'));
  expect(await c.closed).toBeLessThan(4 * KEEP_MS);
});

test('what has left for another protocol is let be', async () => {
  let left = 0;
  server.on('connection', (socket: Socket) => {
    callers.left(socket);
    left++;
  });
  const other = caller();
  await eventually('it has left', () => left === 1);
  expect(callers.count).toBe(0);
  await wait(2 * KEEP_MS);
  expect(other.socket.destroyed).toBe(false);
});

test('after the grace period those on which nothing goes on are closed, the others are not', async () => {
  const silent = caller();
  const busy = caller();
  let end = () => {};
  answer = (_req, res) => void (end = () => res.end('tide'));
  busy.socket.write(GET);
  await wait(50);
  callers.closeIdle(100);
  await wait(60);
  callers.closeIdle(100);
  expect(callers.count).toBe(2);
  await wait(60);
  callers.closeIdle(100);
  await silent.closed;
  await eventually('the silent one is forgotten', () => callers.count === 1);
  expect(callers.busy).toBe(1);
  end();
  await eventually('it is answered', () => busy.text().includes('tide'));
  callers.closeIdle(100);
  await wait(120);
  callers.closeIdle(100);
  await busy.closed;
});
