import { describe, expect, test } from '@jest/globals';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { POST as report } from '../app/api/feed/report/route';
import { endedLately } from '../features/gateways/ended';
import { boundedText, checkOrigin } from '../lib/route';
import { withDatabase } from './base';

withDatabase(() => undefined);

/** A body in chunks, without a length; tells how much of it was asked for. */
function endless(chunk: number, count: number): { body: ReadableStream<Uint8Array>; given: () => number } {
  let given = 0;
  const body = new ReadableStream<Uint8Array>({
    pull(controller) {
      if (given >= count) controller.close();
      else {
        given++;
        controller.enqueue(new Uint8Array(chunk).fill(120));
      }
    },
  });
  return { body, given: () => given };
}

const posted = (body: ReadableStream<Uint8Array> | string, headers: Record<string, string> = {}) =>
  new Request('http://studio.test/x', { method: 'POST', body, headers, duplex: 'half' } as RequestInit);

describe('a body is measured while it is read (OWASP API4:2023)', () => {
  test('one in chunks ends at the bound, not when all of it has come', async () => {
    const { body, given } = endless(1024, 100_000);
    await expect(boundedText(posted(body), 10 * 1024)).rejects.toMatchObject({ status: 413 });
    expect(given()).toBeLessThan(20);
  });

  test('one that says it is too large is not read', async () => {
    const { body, given } = endless(1024, 100_000);
    await expect(boundedText(posted(body, { 'content-length': String(1024 ** 3) }), 10 * 1024)).rejects.toMatchObject({
      status: 413,
    });
    expect(given()).toBeLessThan(3);
  });

  test.each([0, 1, 10])('%d chunks within the bound are the text', async (n) => {
    expect(await boundedText(posted(endless(1024, n).body), 10 * 1024)).toBe('x'.repeat(1024 * n));
  });

  test('letters that lie over two chunks stay whole', async () => {
    const bytes = Buffer.from('{"name":"Ångström — 船"}');
    let at = 0;
    const body = new ReadableStream<Uint8Array>({
      pull: (c) => (at < bytes.length ? c.enqueue(bytes.subarray(at, ++at)) : c.close()),
    });
    expect(await boundedText(posted(body), 1024)).toBe('{"name":"Ångström — 船"}');
  });

  test('the report of a gateway that is no JSON is told so', async () => {
    const headers = { authorization: 'Bearer token' };
    for (const body of ['', '{', 'hello']) expect((await report(posted(body, headers))).status).toBe(400);
    expect((await report(posted('{}', { authorization: 'Bearer nobody' }))).status).toBe(401);
  });
});

describe('what ended beside the studio', () => {
  const file = join(mkdtempSync(join(tmpdir(), 'hinge-ended-')), 'ended.json');
  const at = (s: number) => ({ at: new Date(Date.UTC(2026, 0, 2, 3, 4, s)).toISOString(), words: `of second ${s}` });
  const now = Date.UTC(2026, 0, 3, 3, 4, 10);
  test.each([
    ['no file', undefined, []],
    ['half a file', '[{"at":"2026', []],
    ['other things', '{"a":1}', []],
    ['nothing', '[]', []],
    ['what is a day old is not told, the last comes first', JSON.stringify([at(5), at(11), at(12)]), [at(12), at(11)]],
  ])('%s', async (_name, text, told) => {
    rmSync(file, { force: true });
    if (text !== undefined) writeFileSync(file, text);
    expect(await endedLately(file, now)).toEqual(told);
  });
});

describe('a change comes from a page of this studio (OWASP CSRF cheat sheet, verifying origin)', () => {
  const from = (origin?: string) =>
    new Request('http://studio.test/x', {
      method: 'POST',
      headers: { host: 'studio.test', ...(origin && { origin }) },
    });
  test('its own origin', () => expect(() => checkOrigin(from('http://studio.test'))).not.toThrow());
  test.each([
    undefined,
    'null',
    '',
    'http://evil.test',
    'http://studio.test.evil.test',
    'studio.test',
    'http://[',
    '//studio.test',
  ])('%s is 403', (origin) =>
    expect(() => checkOrigin(from(origin))).toThrow(expect.objectContaining({ status: 403 })),
  );
});
