import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { Body, draftProxy } from '@hinge/core';
import { createHash, randomBytes } from 'node:crypto';
import { Agent, request } from 'node:http';
import type { ServerResponse } from 'node:http';
import type { Dispatcher } from 'undici';
import { HttpBackends, startGateway, type RunningGateway } from '../src';
import { giveBack } from '../src/give-back';
import { ReplySource } from '../src/reply-source';
import { listen } from './world';

/** Memory that was read from a connection is given back when it was handed on, and never before. */

const KIB = 1024;
const own = (n: number): Buffer => Buffer.from(new ArrayBuffer(n));

describe('giving back', () => {
  test('bytes to the end of their memory have no length afterwards', () => {
    const whole = own(64 * KIB);
    giveBack(whole);
    expect(whole.length).toBe(0);
    const behindHead = own(64 * KIB).subarray(300);
    giveBack(behindHead);
    expect(behindHead.length).toBe(0);
    expect(() => giveBack(whole)).not.toThrow();
  });

  test('what others may hold stays: bytes with more behind them, small ones, those of a pool', () => {
    const memory = own(64 * KIB);
    giveBack(memory.subarray(0, 20 * KIB));
    expect(memory.length).toBe(64 * KIB);
    const small = own(8 * KIB);
    giveBack(small);
    expect(small.length).toBe(8 * KIB);
    const pooled = Buffer.from('tide');
    giveBack(pooled);
    expect(pooled.toString()).toBe('tide');
  });
});

describe('the body of an answer', () => {
  const controller = { pause: () => undefined, resume: () => undefined, abort: () => undefined };
  const source = () => new ReplySource(controller as unknown as Dispatcher.DispatchController, false);
  type Done = (error?: Error) => void;
  const caller = () => {
    const written: { chunk: Buffer; done: Done }[] = [];
    const res = {
      write: (chunk: Buffer, done: Done) => written.push({ chunk, done }) > 0,
      on: () => undefined,
      once: () => undefined,
      end: () => undefined,
    };
    return { written, res: res as unknown as ServerResponse };
  };

  test('each piece is given back when it is out, those that came before the caller was ready too', () => {
    const body = source();
    const { written, res } = caller();
    const pieces = [own(64 * KIB), own(64 * KIB), own(64 * KIB)];
    body.data(pieces[0]!);
    body.pipe(res);
    body.data(pieces[1]!);
    body.data(pieces[2]!);
    expect(written.map((w) => w.chunk)).toEqual(pieces);
    expect(pieces.map((p) => p.length)).toEqual([64 * KIB, 64 * KIB, 64 * KIB]);
    written[0]!.done();
    expect(pieces.map((p) => p.length)).toEqual([0, 64 * KIB, 64 * KIB]);
    // The system may still be at it when the connection broke.
    written[1]!.done(new Error('the caller went away'));
    written[2]!.done();
    expect(pieces.map((p) => p.length)).toEqual([0, 64 * KIB, 0]);
  });

  test('gathered pieces are given back once they are one, a single one is that one', async () => {
    const two = source();
    const pieces = [own(64 * KIB).fill('a'), own(64 * KIB).fill('b')];
    const loaded = two.load();
    for (const p of pieces) two.data(p);
    two.end();
    const all = await loaded;
    await new Promise(setImmediate);
    expect(Buffer.compare(all, Buffer.from('a'.repeat(64 * KIB) + 'b'.repeat(64 * KIB)))).toBe(0);
    expect(pieces.map((p) => p.length)).toEqual([0, 0]);
    const one = source();
    const single = own(64 * KIB).fill('c');
    one.data(single);
    one.end();
    expect(await one.load()).toBe(single);
    await new Promise(setImmediate);
    expect(single.length).toBe(64 * KIB);
  });
});

describe('through a gateway', () => {
  const sizes = [0, 1, 1_000, 16 * KIB, 100_001, 3 * 64 * KIB, 1_500_000];
  const bodies = sizes.map((n) => randomBytes(n));
  const sha = (b: Uint8Array): string => createHash('sha256').update(b).digest('hex');
  const wanted = bodies.map(sha);
  let gateway: RunningGateway;
  let backend: Awaited<ReturnType<typeof listen>>;
  beforeAll(async () => {
    backend = await listen((req, res) => {
      const [, form, n] = /^\/(\w+)\/(\d+)/.exec(req.url!)!;
      const body = bodies[Number(n)]!;
      if (form === 'sized') res.writeHead(200, { 'content-length': body.length }).end(body);
      else if (form === 'closed') res.writeHead(200, { connection: 'close', 'content-length': body.length }).end(body);
      else {
        for (let at = 0; at < body.length; at += 30_011) res.write(body.subarray(at, at + 30_011));
        res.end();
      }
    });
    gateway = await startGateway({
      port: 0,
      config: { revision: 'test', apis: [{ slug: 'p', document: draftProxy(backend.url, { name: 'P', base: '/p' }) }] },
    });
  });
  afterAll(async () => {
    await gateway.stop();
    await backend.stop();
  });
  const agent = new Agent({ keepAlive: true, maxSockets: 12 });
  afterAll(() => agent.destroy());

  /** A caller that rests between pieces, or goes away after some bytes. */
  const get = (path: string, restMs: number, goAfter = Infinity) =>
    new Promise<string>((resolve, reject) => {
      const req = request({ port: gateway.port, path: `/p${path}`, agent }, (res) => {
        const hash = createHash('sha256');
        let size = 0;
        res.on('data', (d: Buffer) => {
          hash.update(d);
          size += d.length;
          if (size >= goAfter) {
            req.destroy();
            resolve('gone');
          } else if (restMs) {
            res.pause();
            setTimeout(() => res.resume(), restMs);
          }
        });
        res.on('end', () => resolve(hash.digest('hex')));
        res.on('error', (e) => (goAfter < Infinity ? resolve('gone') : reject(e)));
      });
      req.on('error', (e) => (goAfter < Infinity ? resolve('gone') : reject(e)));
      req.end();
    });

  test('every caller gets its own bytes: quick and slow ones, beside those that go away', async () => {
    const calls: Promise<void>[] = [];
    for (let round = 0; round < 6; round++)
      for (const form of ['sized', 'chunked', 'closed'])
        sizes.forEach((size, n) => {
          const rest = (round * 7 + n) % 3;
          const gone = round % 3 === 2 && size > 200_000;
          calls.push(
            get(`/${form}/${n}`, rest, gone ? 90_000 : undefined).then((hash) =>
              expect([form, size, hash]).toEqual([form, size, gone ? 'gone' : wanted[n]]),
            ),
          );
        });
    await Promise.all(calls);
  }, 60_000);

  test('whoever reads an answer has it whole, whatever comes behind it on the same connection', async () => {
    const backends = new HttpBackends();
    const load = async (form: string, n: number): Promise<string> => {
      const reply = await backends.send({
        backend: 'b',
        url: `${backend.url}/${form}/${n}`,
        method: 'GET',
        headers: {},
        body: Body.empty(),
        timeoutMs: 10_000,
      });
      await reply.body.load();
      return sha(reply.body.bytes());
    };
    for (const form of ['sized', 'chunked', 'closed'])
      for (let round = 0; round < 2; round++)
        expect(await Promise.all(sizes.map((_, n) => load(form, n)))).toEqual(wanted);
    await backends.close();
  });
});
