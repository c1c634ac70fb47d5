import { afterAll, beforeAll, describe, expect, jest, test } from '@jest/globals';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { WebDriver } from 'selenium-webdriver';
import type { Page } from '../src/browser';
import { inBrowser } from '../src/suite';

jest.setTimeout(60_000);

/** A backend that wants a key: brought in from its contract, given the key, called; the caller sees nothing of it. */
const KEY = 'k-4711 & so on';

describe('credentials of a backend', () => {
  let page: Page;
  let driver: WebDriver;
  inBrowser([], (s) => ({ page, driver } = s));
  let backend: Server;
  let port: number;
  const came: (string | undefined)[] = [];

  beforeAll(async () => {
    backend = createServer((req, res) => {
      const key = req.headers['x-tide-key'] as string | undefined;
      came.push(key);
      res.writeHead(key === KEY ? 200 : 401, { 'content-type': 'application/json' });
      res.end(key === KEY ? '{"height":3.20}' : '{"title":"no key"}');
    });
    await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve));
    port = (backend.address() as AddressInfo).port;
  });
  afterAll(() => {
    backend.close();
    backend.closeAllConnections();
  });

  const contract = () => `openapi: 3.1.0
info: { title: Tide gauge, version: '1' }
servers: [{ url: 'http://127.0.0.1:${port}' }]
security: [{ gauge: [] }]
paths:
  /height:
    get:
      operationId: getHeight
      responses:
        '200': { description: Now, content: { application/json: { schema: { type: object, required: [height], properties: { height: { type: number } } } } } }
components:
  securitySchemes:
    gauge: { type: apiKey, in: header, name: X-Tide-Key, description: Ask the gauge keeper }
`;

  test('what the contract asks for is offered, and the finding says where it is missing', async () => {
    await page.open('/backends/new');
    await page.click('[role=tab]', 'Paste');
    await page.fill('textarea[aria-label="Text of the contract"]', contract());
    await page.click('button', 'Read');
    await page.byText('[role=option]', 'getHeight');
    await page.click('button', 'Keep this backend');
    await page.waitFor('the backend', async () => (await driver.getCurrentUrl()).endsWith('/backends/tide-gauge'));
    await page.waitText('section[aria-label=Credentials]', 'The contract asks for a key, X-Tide-Key in header.');
    await page.click('a', 'Draft an API from it');
    await page.click('button', 'Make 1 operation');
    await page.byText('td a', 'getHeight');
    await page.waitText('body', 'asks for credentials (gauge) at getHeight');
    await page.click('a', 'Open the backend');
    await page.byText('h2', 'Credentials');
  });

  test('used, set and saved, it is what the backend gets; the draft works at once', async () => {
    await page.open('/backends/tide-gauge');
    await page.click('button', 'Use it');
    await page.click('button', 'Save credentials');
    await page.click('button[aria-label="Set the Key in sandbox"]');
    await page.fill('input[aria-label="Key in sandbox"]', KEY);
    await page.click('button', 'Set');
    await page.waitText('section[aria-label=Credentials]', 'M. Ruff');
    expect(await page.text('section[aria-label=Credentials]')).not.toContain(KEY);
    came.length = 0;
    await page.open('/apis/tide-gauge/getHeight');
    await page.waitText('body', 'reply 200');
    expect(came).toContain(KEY);
    expect(await page.text('body')).not.toContain(KEY);
  });

  test('the test request of the backend uses it too; removed, it is missed by its name', async () => {
    await page.open('/backends/tide-gauge');
    await page.click('[role=option]', 'getHeight');
    await page.click('button', 'Send');
    await page.waitText('body', 'Received 200');
    await page.click('button[aria-label="Remove the Key in sandbox"]');
    await page.byText('span', 'not set');
    await page.click('button', 'Send');
    await page.waitText('body', 'the secret tide-gauge-key is not set in sandbox');
  });
});
