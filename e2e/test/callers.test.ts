import { describe, expect, jest, test } from '@jest/globals';
import { By } from 'selenium-webdriver';
import { inBrowser, type Suite } from '../src/suite';

jest.setTimeout(150_000);
let { world, driver, page, hands } = {} as Suite;
inBrowser([], (s) => ({ world, driver, page, hands } = s));

const PASSWORD = 'grey-wagtail';
async function as(email: string): Promise<void> {
  await driver.manage().deleteAllCookies();
  await page.open('/sign-in');
  await page.fill('input[name=email]', email);
  await page.fill('input[name=password]', PASSWORD);
  await page.click('button[type=submit]');
  await page.find('.top');
  await page.waitFor('to be in', async () => !(await driver.getCurrentUrl()).includes('sign-in'));
}
const tide = (key: string, day = '2026-12-04') =>
  fetch(`${world.gateway}/tides/agents/${day}`, { headers: { 'x-api-key': key } });
const known = () => page.byText('[data-testid=callers-known]', 'the gateway knows all of this');
const make = async (kind: 'key' | 'client secret'): Promise<string> => {
  if (kind !== 'key') await hands.choose('What to make', kind);
  await page.click('button', 'Make it');
  await page.byText('.note', `The new ${kind}`);
  const secret = await page.text('.note code');
  await page.click('.note button', 'done');
  await known();
  return secret;
};
const keys: Record<string, string> = {};

describe('a caller from subscription to first reply to 429', () => {
  test('the API is released with its plans', async () => {
    await page.open('/apis/tides');
    await page.click('[role=tab]', 'Plans');
    await page.byText('[data-testid=holders-channel]', 'a change reaches Kittiwake Agency, Sandpiper Freight');
    await hands.release();
    expect(await hands.serious()).toEqual([]);
  });

  test('a caller sees what is theirs and nothing else', async () => {
    await as('dunlin@agents.example');
    await page.byText('h1', 'Your apps');
    expect(await page.text('.top nav')).toBe('Callers');
    expect(await driver.findElements(By.css('[aria-label=Apps] tbody tr'))).toHaveLength(1);
    expect(await hands.serious()).toEqual([]);
    for (const path of ['/', '/apis', '/apis/tides', '/backends/tides', '/traffic', '/releases']) {
      await page.open(path);
      await page.byText('h1', 'Your apps');
    }
    await page.open('/callers/kittiwake');
    await page.byText('body', 'There is no such page');
    for (const url of ['/api/apis/tides/draft', '/api/traces', '/api/gateways'])
      expect((await hands.fetchJson<{ message: string }>('GET', url)).message).toContain('you are signed in as caller');
  });

  test('makes an app, asks for a plan that waits, takes one that does not, and gets a key', async () => {
    await page.open('/callers');
    await page.fill('input[aria-label="Name of a new app"]', 'Dunlin at night');
    await page.click('button', 'Add an app');
    await page.byText('h1', 'Dunlin at night');
    await hands.choose('Plan to subscribe to', 'Channel');
    await page.click('button', 'Ask for it');
    await page.byText('td', 'asked');
    keys.night = await make('key');
    const r = await tide(keys.night);
    expect([r.status, ((await r.json()) as { detail: string }).detail]).toEqual([
      403,
      'The app Dunlin at night waits for the approval of its subscription to this API.',
    ]);
    expect(await hands.serious()).toEqual([]);
    await page.open('/callers/dunlin');
    keys.quay = await make('key');
    const quay = await tide(keys.quay);
    // Plan Quay remembers a table for 15 minutes.
    expect([quay.status, quay.headers.get('cache-status')]).toEqual([200, 'hinge; fwd=uri-miss; stored; ttl=900']);
    expect(quay.headers.get('ratelimit')).toContain('r=23');
  });

  test('the operator finds it on the desk and approves it; the other plan remembers for 2 minutes', async () => {
    await as('plover@tarnhaven.example');
    await page.byText('td a', 'Dunlin at night asks for Channel of Tides');
    await page.click('td a', 'Dunlin at night asks for Channel of Tides');
    await page.click('button[aria-label="Approve Dunlin at night at Tides"]');
    await page.waitFor(
      'one to wait',
      async () => (await driver.findElements(By.css('[aria-label="Waiting for approval"] tr'))).length === 1,
    );
    await page.click('button[aria-label="Refuse Sandpiper Freight at Tides"]');
    await page.fill('input[aria-label="Why refuse Sandpiper Freight at Tides"]', 'The contract is not signed');
    await page.click('button[type=submit]', 'Refuse');
    await page.byText('td', 'refused');
    await known();
    const r = await tide(keys.night!, '2026-12-05');
    expect([r.status, r.headers.get('cache-status')]).toEqual([200, 'hinge; fwd=uri-miss; stored; ttl=120']);
    expect(await hands.serious()).toEqual([]);
  });

  test('what is remembered is forgotten from the studio', async () => {
    expect((await tide(keys.night!, '2026-12-05')).headers.get('cache-status')).toContain('hit');
    await page.open('/releases');
    await page.click('form[aria-label="Remembered replies"] button', 'Forget');
    await page.waitText('form[aria-label="Remembered replies"]', '2 replies forgotten at 1 gateway');
    expect((await tide(keys.night!, '2026-12-05')).headers.get('cache-status')).toContain('stored; ttl=120');
    expect(await hands.serious()).toEqual([]);
  });

  test('the 25th call within a minute is refused, with how long to wait', async () => {
    const statuses: number[] = [];
    for (let n = 0; n < 24; n++) statuses.push((await tide(keys.quay!)).status);
    expect(statuses).toEqual([...Array<number>(23).fill(200), 429]);
    const r = await tide(keys.quay!);
    expect(Number(r.headers.get('retry-after'))).toBeGreaterThan(0);
    expect(r.headers.get('ratelimit-policy')).toBe('"default";q=24;w=60');
  });

  test('why it was refused stands in the trace', async () => {
    await page.open('/traffic');
    await page.fill('input[aria-label="Path, operation or app"]', 'dunlin');
    await page.byText('td', '429');
    await page.click('tr:has(td.brass) td a');
    await page.byText('.told', 'At most 24 calls in 60 seconds');
    await page.byText('.told', 'counted for app dunlin');
    await page.byText('.told', 'Refused by the guard rate of the plan Quay');
    await page.byText('.fold-foot', 'app dunlin, plan Quay');
  });
});

describe('keys come and go', () => {
  test('a key that is revoked is refused at once, the one beside it is not', async () => {
    await as('dunlin@agents.example');
    await page.open('/callers/dunlin-at-night');
    const second = await make('key');
    expect((await tide(second)).status).toBe(200);
    await page.click(`button[aria-label$="ends with ${keys.night!.slice(-4)}"]`);
    await page.waitFor(
      'it to go',
      async () => !(await page.text('[aria-label="Keys and client secrets"]')).includes(keys.night!.slice(-4)),
    );
    await known();
    expect([(await tide(keys.night!)).status, (await tide(second)).status]).toEqual([401, 200]);
    await page.byText('.soft', 'answered,');
  });
});

describe('one API with two doors over one flow: by key, and by token', () => {
  test('a door is added that takes tokens; a client gets one for its secret, with its scope', async () => {
    await as('ruff@tarnhaven.example');
    await page.open('/apis/tides');
    await page.click('[role=tab]', 'Doors');
    await page.click('button', 'Add a door');
    await hands.choose('Add a guard: of the door door4', 'token');
    const label = await page.byText('label', 'Scopes that are needed');
    const id = await label.getAttribute('for');
    await page.fill(`[id="${id}"]`, 'tides:read');
    await hands.saved();
    await hands.release();
    await page.open('/callers/dunlin-at-night');
    const secret = await make('client secret');
    const token = async (scope: string) =>
      fetch(`${world.gateway}/oauth/token`, {
        method: 'POST',
        headers: { authorization: `Basic ${btoa(`dunlin-at-night:${secret}`)}` },
        body: new URLSearchParams({ grant_type: 'client_credentials', scope }),
      });
    expect(await (await token('tides:write')).json()).toMatchObject({ error: 'invalid_scope' });
    const { access_token } = (await (await token('tides:read')).json()) as { access_token: string };
    const ask = (authorization?: string) =>
      fetch(`${world.gateway}/tides/v4/2026-12-04`, { headers: authorization ? { authorization } : {} });
    expect((await ask()).headers.get('www-authenticate')).toBe('Bearer realm="Tides"');
    const r = await ask(`Bearer ${access_token}`);
    expect([r.status, ((await r.json()) as { station: string }).station]).toEqual([200, 'Tarnhaven']);
    // Its app is paused: the same token is refused.
    await page.click('button[aria-label="Pause Dunlin at night at Tides"]');
    await page.fill('input[aria-label="Why pause Dunlin at night at Tides"]', 'The bill is open');
    await page.click('button[type=submit]', 'Pause');
    await page.byText('td', 'The bill is open');
    await known();
    expect((await ask(`Bearer ${access_token}`)).status).toBe(403);
  });

  test('an auditor looks at all of it and changes none', async () => {
    await as('turnstone@tarnhaven.example');
    await page.open('/callers/dunlin-at-night');
    await page.byText('td', 'The bill is open');
    expect(await driver.findElements(By.css('main button.rust'))).toHaveLength(0);
    expect(
      (await hands.fetchJson<{ message: string }>('POST', '/api/callers/apps', { name: 'Mine' })).message,
    ).toContain('This needs the role');
    expect((await hands.fetchJson<{ message: string }>('POST', '/api/apis/tides/rehearse', {})).message).toContain(
      'This needs the role',
    );
  });
});

describe('guards of the whole workspace', () => {
  test('saved, they act at every API at once, without a release, and each API says where they come from', async () => {
    await as('plover@tarnhaven.example');
    const policy = async () => (await fetch(`${world.gateway}/tides/v1/2026-12-04`)).headers.get('ratelimit-policy');
    expect(await policy()).toBeNull();
    await page.open('/apis');
    await page.click('a', 'Guards of the workspace');
    await hands.choose('Add a guard: of the workspace', 'rate');
    await page.byText('[data-testid=guards-state]', 'not saved yet');
    expect(await hands.serious()).toEqual([]);
    await page.click('button', 'Save for all');
    await page.waitText('[data-testid=guards-state]', 'saved');
    await page.waitFor('the gateway', async () => (await policy()) === '"default";q=60;w=60');
    await page.open('/apis/tides');
    await page.click('[role=tab]', 'Doors');
    await page.byText('.guard-scopes', 'from the workspace');
    await page.open('/apis/tides/getTideTable');
    await hands.outcome('200');
    await page.byText('.guard-words', 'rate');
    await page.open('/guards');
    await page.click('button[aria-label="Remove the guard rate"]');
    await page.click('button', 'Save for all');
    await page.waitFor('the gateway', async () => (await policy()) === null);
  });
});
