import { afterAll, beforeAll, expect, jest, test } from '@jest/globals';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Hands } from '../src/hands';
import { inBrowser, type Suite } from '../src/suite';

jest.setTimeout(60_000);
let { world, driver, page } = {} as Suite;
let hands: Hands;
inBrowser([], (s) => ({ world, driver, page, hands } = s));

/** An operation that takes JSON, or a form that holds something else: each reaches the backend as what it is, in a case and through the gateway. */
let backend: Server;
let port = 0;
const came: string[] = [];

beforeAll(async () => {
  backend = createServer((req, res) => {
    const parts: Buffer[] = [];
    req.on('data', (d: Buffer) => parts.push(d));
    req.on('end', () => {
      came.push(`${req.headers['content-type']} ${Buffer.concat(parts).toString()}`);
      res.writeHead(204).end();
    });
  });
  await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve));
  port = (backend.address() as AddressInfo).port;
});
afterAll(() => {
  backend.close();
  backend.closeAllConnections();
});

const contract = () => `openapi: 3.1.0
info: { title: Weigh house, version: '1' }
servers: [{ url: 'http://127.0.0.1:${port}' }]
paths:
  /weighings:
    post:
      operationId: addWeighing
      requestBody:
        required: true
        content:
          application/json: { schema: { type: object, required: [kilograms], properties: { kilograms: { type: number } } } }
          application/x-www-form-urlencoded: { schema: { type: object, required: [ticket], properties: { ticket: { type: integer } } } }
      responses: { '204': { description: Kept } }
`;
const FORM = 'application/x-www-form-urlencoded';

test('both are shown, kept and drafted; the case sends the first', async () => {
  await page.open('/backends/new');
  await page.click('[role=tab]', 'Paste');
  await page.fill('textarea[aria-label="Text of the contract"]', contract());
  await page.click('button', 'Read');
  await page.byText('.mono', FORM);
  await page.byText('.typetree .line', 'ticket');
  await page.click('button', 'Keep this backend');
  await page.waitFor('the backend', async () => (await driver.getCurrentUrl()).endsWith('/backends/weigh-house'));
  await page.click('a', 'Draft an API from it');
  await page.click('button', 'Make 1 operation');
  await page.byText('td a', 'addWeighing');
  await page.open('/apis/weigh-house/addWeighing');
  await hands.outcome('204');
  expect(came.at(-1)).toBe('application/json {"kilograms":1.5}');
});

test('another body is chosen for the case, with something in it; the map says which goes on', async () => {
  await page.click('.track button', 'request');
  await hands.choose('Content type of the body', FORM);
  await page.waitFor('the form at the backend', () => Promise.resolve(came.at(-1) === `${FORM} ticket=1`));
  await hands.outcome('204');
  await page.click('.track button', 'to addWeighing');
  await page.waitText('[aria-label="Which body it gets"]', 'the body that came in');
  await hands.choose('Which body it gets', 'application/json');
  // The form has no kilograms, and JSON needs them.
  await hands.outcome('400');
  await hands.choose('Which body it gets', 'the body that came in');
  await hands.outcome('204');
  await hands.saved();
});

test('a third is added where callers are shaped, and is in what is released', async () => {
  await page.open('/apis/weigh-house');
  await page.click('button', 'shape');
  await page.click('button', 'Another body');
  await page.waitFor('the new body', async () => (await hands.count('[aria-label^="Another body, "]')) === 2);
  expect(await hands.serious()).toEqual([]);
  await hands.close();
  await hands.saved();
  await hands.release();
  const send = (type: string, body: string) =>
    fetch(`${world.gateway}/weigh-house/v1/weighings`, { method: 'POST', headers: { 'content-type': type }, body });
  expect([(await send(FORM, 'ticket=7')).status, came.at(-1)]).toEqual([204, `${FORM} ticket=7`]);
  expect([(await send('application/json', '{"kilograms":2}')).status, came.at(-1)]).toEqual([
    204,
    'application/json {"kilograms":2}',
  ]);
  const other = await send('text/csv', 'a');
  expect([other.status, other.headers.get('accept')]).toEqual([415, `application/json, ${FORM}, multipart/form-data`]);
});
