import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { startBerths, type StandIn } from '../src';

let s: StandIn;
let at: string;
beforeAll(async () => {
  s = await startBerths();
  at = `http://127.0.0.1:${s.port}`;
});
afterAll(() => s.stop());

const call = (path: string, ns: string, inner: string, head = '<b:officeCode>TH-22</b:officeCode>') =>
  fetch(at + path, {
    method: 'POST',
    body: `<s:Envelope xmlns:s="${ns}" xmlns:b="urn:tarnhaven:berths:2"><s:Header>${head}</s:Header><s:Body>${inner}</s:Body></s:Envelope>`,
  });
const V11 = 'http://schemas.xmlsoap.org/soap/envelope/';
const V12 = 'http://www.w3.org/2003/05/soap-envelope';

test('serves its contract with its own address', async () => {
  const text = await (await fetch(`${at}/soap?wsdl`)).text();
  expect(text).toContain(`location="${at}/soap"`);
  expect((await fetch(`${at}/berths.xsd`)).status).toBe(200);
});

test('answers both versions', async () => {
  for (const [path, ns] of [
    ['/soap', V11],
    ['/soap12', V12],
  ] as const) {
    const r = await call(path, ns, '<b:GetBerth><b:id>N-07</b:id></b:GetBerth>');
    expect([r.status, (await r.text()).includes('<b:depthMetres>7.10</b:depthMetres>')]).toEqual([200, true]);
  }
});

test('what breaks the schema, lacks the header or is unknown is a fault of the sender', async () => {
  for (const [inner, head, words] of [
    ['<b:GetBerth><b:id>n7</b:id></b:GetBerth>', undefined, 'breaks the schema'],
    ['<b:GetBerth><b:id>N-07</b:id></b:GetBerth>', '', 'officeCode is missing'],
    ['<b:GetBerth><b:id>Z-99</b:id></b:GetBerth>', undefined, 'UnknownBerth'],
    ['', undefined, 'The body is empty'],
  ] as const) {
    const r = await call('/soap', V11, inner, head);
    const text = await r.text();
    expect(r.status).toBe(500);
    expect(text).toContain('<faultcode>s:Client</faultcode>');
    expect(text).toContain(words);
  }
  expect((await call('/soap12', V12, '<b:GetBerth><b:id>Z-99</b:id></b:GetBerth>')).status).toBe(400);
});

test('can be told to be wrong, and what it cannot be', async () => {
  const set = (mode: string) => fetch(`${at}/_behave`, { method: 'POST', body: JSON.stringify({ mode }) });
  expect((await set('sideways')).status).toBe(400);
  await set('down');
  await expect(call('/soap', V11, '')).rejects.toThrow();
  expect(await (await set('normal')).json()).toEqual({ mode: 'normal', delayMs: 0 });
});
