import { describe, expect, jest, test } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { By, Key } from 'selenium-webdriver';
import { inBrowser, type Suite } from '../src/suite';

jest.setTimeout(120_000);
let { world, driver, page, hands } = {} as Suite;
inBrowser([], (s) => ({ world, driver, page, hands } = s));

const LISTS = {
  hinge: 1,
  api: { name: 'Lists', version: '1' },
  doors: [
    { name: 'public', path: '/lists', guards: [{ kind: 'network' }, { kind: 'certificate' }, { kind: 'headers' }] },
  ],
  backends: { berths: {} },
  operations: {
    ask: {
      method: 'GET',
      path: '/',
      parameters: [{ name: 'ids', in: 'query', schema: { type: 'array', items: { type: 'string' } } }],
      flow: [
        {
          kind: 'attempt',
          flow: [{ kind: 'call', backend: 'berths', retry: { times: 1 } }],
          failures: [{ on: ['any'], flow: [{ kind: 'reply', status: 200 }] }],
        },
        { kind: 'reply', status: 200, body: { n: 1 }, mediaType: 'application/json' },
      ],
    },
  },
};
interface Kept {
  doors: [{ guards: Record<string, unknown>[] }];
  operations: { ask: { flow: [{ flow: [{ retry: unknown }]; failures: [{ on: unknown }] }] } };
  cases?: { request: { query?: unknown } }[];
}
const draft = async (): Promise<Kept> =>
  (await hands.fetchJson<{ document: Kept }>('GET', '/api/apis/lists/draft')).document;

/** Types with real keys, one by one; what stands in the field afterwards, and what it says of itself. */
async function typed(label: string, text: string): Promise<string> {
  const field = await page.find(`input[aria-label="${label}"]`);
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), Key.DELETE);
  for (const key of text) await field.sendKeys(key);
  return (await field.getAttribute('value')) ?? '';
}

describe('fields that hold lists keep what is typed', () => {
  test('networks, names and needed headers of guards', async () => {
    await page.open('/apis/new');
    await hands.fetchJson('POST', '/api/apis/scratch', { slug: 'lists', document: LISTS });
    await page.open('/apis/lists');
    await page.click('[role=tab]', 'Doors');
    expect(await typed('Networks that may', '10.0.0.0/8, 2001:db8::/32,')).toBe('10.0.0.0/8, 2001:db8::/32,');
    expect(await typed('Networks that may not', '10.1.0.0/16, nowhere')).toBe('10.1.0.0/16, nowhere');
    await page.byText('.MuiFormHelperText-root', 'not taken: nowhere');
    expect(await typed('Names that may', 'gate.example, DNS:quay.example')).toBe('gate.example, DNS:quay.example');
    await hands.saved();
    const [network, certificate] = (await draft()).doors[0].guards;
    expect(network).toMatchObject({ allow: ['10.0.0.0/8', '2001:db8::/32'] });
    // What was taken before the last item went wrong.
    expect(network!.deny).toEqual(['10.1.0.0/16']);
    expect(certificate).toMatchObject({ names: ['gate.example', 'DNS:quay.example'] });
    // Left, it is written as it is kept.
    await (await page.find('input[aria-label="Networks that may"]')).sendKeys(Key.TAB);
    await page.waitFor(
      'the field to be tidy',
      async () =>
        (await (await page.find('input[aria-label="Networks that may"]')).getAttribute('value')) ===
        '10.0.0.0/8, 2001:db8::/32',
    );
  });

  test('failures of an attempt and of a retry; a parameter that is a list', async () => {
    await page.open('/apis/lists/ask');
    await hands.outcome('200');
    await hands.pin('/0');
    expect(await typed('Failures of line 1', '503, 5XX')).toBe('503, 5XX');
    await hands.pin('/0/flow/0');
    expect(await typed('Failures that are tried again', '503, timeout')).toBe('503, timeout');
    await page.click('.track button', 'request');
    await hands.saved();
    const [attempt] = (await draft()).operations.ask.flow;
    expect(attempt.failures[0].on).toEqual(['503', '5XX']);
    expect(attempt.flow[0].retry).toEqual({ times: 1, on: ['503', 'timeout'] });
  });
});

describe('hold to compare', () => {
  test('a rehearsal is kept, and every leaf is compared with it after a change', async () => {
    await page.open('/apis/berths/GetBerth');
    await hands.outcome('200');
    await page.click('footer button', 'hold to compare');
    await page.byText('footer button', 'let go of the held one');
    await page.click('.track button', 'reply');
    await page.click('.leaf.right [role=tab]', 'Against held');
    await page.byText('.leaf.right', 'No difference.');
    await page.click('.track button', 'request');
    const id = await page.find('#parameter-path-id');
    const held = await id.getAttribute('value');
    await id.sendKeys(Key.chord(Key.CONTROL, 'a'), held === 'N-07' ? 'N-08' : 'N-07');
    await page.click('.track button', 'reply');
    await page.click('.leaf.right [role=tab]', 'Against held');
    await page.byText('.leaf.right .gone', held!);
    await page.click('footer button', 'let go of the held one');
    await page.waitFor('nothing to be held', async () => !(await page.text('.leaf.right')).includes('Against held'));
  });
});

/** Process of the studio, among those that the command started. */
const studioProcess = (): number | undefined =>
  readFileSync(`/proc/${world.pid}/task/${world.pid}/children`, 'utf8')
    .trim()
    .split(' ')
    .map(Number)
    .find((pid) => {
      try {
        return /next/.test(readFileSync(`/proc/${pid}/cmdline`, 'utf8'));
      } catch {
        // It has ended meanwhile.
        return false;
      }
    });

describe('a studio that dies', () => {
  test('is started again, does not take the gateway with it, and the desk says so', async () => {
    const answers = async () => (await fetch(`${world.gateway}/nothing-here`)).status;
    expect(await answers()).toBe(404);
    const before = studioProcess();
    expect(before).toBeDefined();
    process.kill(before!, 'SIGKILL');
    await page.waitFor('the studio to be another', async () => {
      expect(await answers()).toBe(404);
      const now = studioProcess();
      return now !== undefined && now !== before;
    });
    expect(world.output()).toMatch(/the studio ended \(by a signal\); its log is .*\. It is started again/);
    await page.waitFor('the studio to answer', () =>
      fetch(`${world.studio}/sign-in`).then(
        (r) => r.ok,
        () => false,
      ),
    );
    await page.open('/');
    await page.byText('td', 'The studio ended (by a signal) and was started again');
    expect(await driver.findElements(By.css('h1'))).toHaveLength(1);
  });
});
