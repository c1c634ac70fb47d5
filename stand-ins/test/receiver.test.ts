import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createHmac } from 'node:crypto';
import { RECEIVER_SECRET, startReceiver, type StandInReceiver } from '../src';

let r: StandInReceiver;
let at: string;
beforeAll(async () => {
  r = await startReceiver();
  at = `http://127.0.0.1:${r.port}`;
});
afterAll(() => r.stop());
const send = (body: string, secret: string) =>
  fetch(`${at}/hooks/kittiwake`, {
    method: 'POST',
    body,
    headers: {
      link: '<http://g/hub>; rel="hub", <http://g/announced>; rel="self"',
      'x-hub-signature': `sha256=${createHmac('sha256', secret).update(body).digest('hex')}`,
    },
  });

test('gives the challenge back, takes what is signed, refuses what is not, fails when it is told to', async () => {
  expect(await (await fetch(`${at}/hooks/kittiwake?hub.mode=subscribe&hub.challenge=abc`)).text()).toBe('abc');
  expect((await send('{"n":1}', RECEIVER_SECRET)).status).toBe(204);
  expect((await send('{"n":2}', 'another')).status).toBe(403);
  await fetch(`${at}/_behave`, { method: 'POST', body: '{"mode":"down"}' });
  expect((await send('{"n":3}', RECEIVER_SECRET)).status).toBe(503);
  const came = (await (await fetch(`${at}/received`)).json()) as unknown;
  expect(came).toMatchObject([
    { path: '/hooks/kittiwake', signed: true, status: 204, topic: 'http://g/announced', body: '{"n":1}' },
    { signed: false, status: 403 },
    { signed: true, status: 503 },
  ]);
  expect((await fetch(`${at}/elsewhere`)).status).toBe(404);
  await fetch(`${at}/received`, { method: 'DELETE' });
  expect(r.received).toEqual([]);
});
