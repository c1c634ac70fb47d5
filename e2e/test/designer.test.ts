import { describe, expect, jest, test } from '@jest/globals';
import { By, Key } from 'selenium-webdriver';
import { inBrowser, type Suite } from '../src/suite';

jest.setTimeout(150_000);
let { world, driver, page, hands } = {} as Suite;
inBrowser([], (s) => ({ world, driver, page, hands } = s));

describe('a flow that branches', () => {
  test('the line that the message took is lit, the other is dim; all cases pass in one go, and reach every line', async () => {
    await page.open('/apis/towage/orderTowage');
    await hands.outcome('201');
    await hands.pin('/2');
    await page.byText('.pin-line.lit', 'taken by this request');
    await page.byText('.line-words.lit', 'ships from 60 m');
    expect(await driver.findElements(By.css('.pin.untaken'))).toHaveLength(3);
    await page.click('[data-testid=cases]');
    await page.click('.cases button', 'Run all 4');
    await page.waitFor(
      'four passes',
      async () => (await driver.findElements(By.xpath("//td//span[contains(., 'passed')]"))).length === 4,
    );
    expect(await driver.findElements(By.css('.cases .brass'))).toHaveLength(0);
    await hands.close();
    await page.waitText('[data-testid=cases]', '4 of 4 cases pass');
  });

  test('another case takes the other line; a failing expectation is told with what was found', async () => {
    await hands.choose('Case', 'a barge');
    await page.byText('.line-words.lit', 'otherwise');
    await page.click('[data-testid=cases]');
    await page.click('.cases td button', 'a barge');
    await page.fill('.case-editor input[aria-label="Value 1"]', 'x');
    await (
      await page.find('.case-editor input[aria-label="Value 1"]')
    ).sendKeys(Key.chord(Key.CONTROL, 'a'), 'tow desk');
    await page.click('.cases button', 'Run all 4');
    await page.byText('.misfit', '/desk: wanted tow desk, found barge desk');
    await hands.close();
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
  });

  test('a mock stands beside a real backend: a line is added by mouse, answered by an example, and undone', async () => {
    await page.open('/apis/towage/orderTowage');
    await hands.outcome('201');
    await hands.pin('/2');
    await page.click('.pin-form button', 'Add a line');
    await page.byText('.line-words', 'body.callNumber is there');
    await driver.executeScript(
      'document.querySelector(arguments[0]).click()',
      '.slot[aria-label="Add a step at /2/lines/1/flow/0"]',
    );
    await (await page.find('[role=dialog] input')).sendKeys('reply', Key.ENTER);
    await page.byText('.pin-head', 'reply, pin');
    await page.byText('[data-testid=findings]', 'no findings');
    await driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
    await driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
    await page.waitFor('both undone', async () => (await driver.findElements(By.css('.pin'))).length === 9);
    await hands.saved();
  });
});

describe('a flow that gathers', () => {
  test('the slowest line is marked, time at once against time in series is told; one line may fail', async () => {
    await page.open('/apis/port-calls/getPortCall');
    await hands.outcome('200');
    await hands.pin('/0');
    await page.byText('.pin-box', 'one after the other');
    await page.byText('.pin-line.lit', 'the slowest');
    await hands.choose('Case', 'the pilots do not answer');
    await page.byText('.pin-line', 'failed,');
    await hands.outcome('200');
    await hands.pin('/1');
    await page.byText('.tree-row', 'pilots');
  });
});

describe('two doors over one flow', () => {
  test('released, the same table comes as JSON and as XML, and is remembered', async () => {
    await page.open('/apis/tides');
    await page.click('[role=tab]', 'Doors');
    await page.byText('.guard-scopes', 'from all doors');
    await hands.release();
    const json = await fetch(`${world.gateway}/tides/v1/2026-12-04`);
    expect([json.status, json.headers.get('content-type'), json.headers.get('cache-status')]).toEqual([
      200,
      'application/json',
      'hinge; fwd=uri-miss; stored; ttl=300',
    ]);
    const xml = await fetch(`${world.gateway}/tides/v2/2026-12-04`);
    expect(xml.headers.get('content-type')).toBe('application/xml');
    expect(xml.headers.get('cache-status')).toContain('hinge; hit; ttl=');
    expect(await xml.text()).toContain('station="Tarnhaven"');
  });
});

describe('one door open, one by key', () => {
  test('an app gets a key, shown once; the other door asks for it; a rate of its plan is kept', async () => {
    await page.open('/apis/dues');
    await page.click('[role=tab]', 'Doors');
    await page.click('button', 'Add a door');
    await hands.choose('Add a guard: of the door door2', 'key');
    const ways = '[aria-label="What acts where"] tbody tr';
    await page.byText(ways, 'key of the door');
    const acting = () =>
      page.driver.executeScript<string[]>(
        `return [...document.querySelectorAll('${ways}')].map((r) => [...r.cells].map((c) => c.textContent).join(' '))`,
      );
    expect(await acting()).toEqual([
      'POST /dues/v1/calculate-dues CalculateDues schema of all doors; who calls is not asked',
      'POST /dues/v2/calculate-dues CalculateDues key of the door, schema of all doors',
    ]);
    await hands.choose('Which ways in', 'who calls is not asked');
    expect(await acting()).toEqual([expect.stringContaining('/dues/v1/')]);
    await page.click('[role=tab]', 'Plans');
    await page.fill('input[aria-label="Name of a new plan"]', 'Quay');
    await page.click('button', 'Add a plan');
    await hands.choose('Add a guard: of the plan quay', 'rate');
    const calls = await page.find('input[aria-label="Calls"]');
    await calls.sendKeys(Key.chord(Key.CONTROL, 'a'), '2');
    await page.fill('input[aria-label="Name of a new app"]', 'Kittiwake Agency');
    await page.click('button', 'Add an app');
    await hands.choose('Plan of kittiwake-agency', 'Quay');
    await page.click('td button', 'New key');
    const key = await page.text('.note code');
    expect(key).toMatch(/^[\w-]{32}$/);
    await hands.saved();
    await hands.release();
    const ask = (path: string, headers: Record<string, string> = {}) =>
      fetch(`${world.gateway}${path}`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...headers },
        body: JSON.stringify({ grossTonnage: 4980.125, nights: 2, cargoClass: 'TIMBER' }),
      });
    const path = '/calculate-dues';
    const statuses = [];
    for (const headers of [
      {},
      { 'x-api-key': 'guessed' },
      { 'x-api-key': key },
      { 'x-api-key': key },
      { 'x-api-key': key },
    ])
      statuses.push((await ask(`/dues/v2${path}`, headers as Record<string, string>)).status);
    const open = await ask(`/dues/v1${path}`);
    expect([open.status, ...statuses]).toEqual([200, 401, 401, 200, 200, 429]);
    await page.open('/traffic');
    await page.byText('td', '429');
  });
});

describe('an API from nothing, by keyboard alone', () => {
  const body = () => driver.findElement(By.css('body'));

  test('name, way in, operation, schema from a sample', async () => {
    await page.open('/apis/new');
    const name = await page.find('input[placeholder="Berth bookings"]');
    await name.sendKeys('Moorings', Key.ENTER);
    await page.byText('h1', 'Moorings');
    const path = await page.find('input[aria-label="Path of the new operation"]');
    await path.sendKeys('/moorings/{id}', Key.ENTER);
    await page.byText('.cases h2', 'What callers see of getMooringsById');
    const samples = await driver.findElements(By.xpath("//button[contains(., 'From samples')]"));
    await samples[samples.length - 1]!.sendKeys(Key.ENTER);
    await (await page.find('textarea[aria-label="Sample 1"]')).sendKeys('{"id": "M-1", "metres": 12.5, "free": true}');
    await page.byText('[role=dialog] .row', 'metres');
    await (await page.byText('[role=dialog] button', 'Use this schema')).sendKeys(Key.ENTER);
    await page.byText('.pin-line', 'Value of example sample');
    await hands.keys(Key.ESCAPE);
    await page.waitFor('the drawer to close', async () => (await driver.findElements(By.css('.cases'))).length === 0);
    await hands.saved();
  });

  test('the mock answers in rehearsal and, released, on the gateway', async () => {
    await (await page.byText('td a', 'getMooringsById')).sendKeys(Key.ENTER);
    await hands.outcome('200');
    await page.byText('.leaf.right', 'M-1');
    await hands.release();
    const r = await fetch(`${world.gateway}/moorings/v1/moorings/M-9`);
    expect([r.status, await r.json()]).toEqual([200, { id: 'M-1', metres: 12.5, free: true }]);
  });

  test('a step comes in by a, a name and Enter; its expression decides; the mock gives way to a real call', async () => {
    await (await body()).sendKeys(Key.ARROW_LEFT, Key.ARROW_LEFT);
    await hands.keys('a');
    await (await page.find('[role=dialog] input')).sendKeys('att', Key.ENTER);
    await page.byText('.pin-head', 'attempt, pin 1');
    await driver.executeScript('document.activeElement.blur()');
    await (await body()).sendKeys(Key.DELETE);
    await page.waitFor('one pin', async () => (await driver.findElements(By.css('.pin'))).length === 1);
    await hands.keys('a');
    await (await page.find('[role=dialog] input')).sendKeys('call', Key.ENTER);
    await page.byText('.pin-head', 'call, pin');
    await hands.chooseByKeys('Backend', 'vessels');
    // Two operations begin with get: the list goes on to the one that is typed.
    await hands.chooseByKeys('Operation', 'getOwner');
    await (await page.byText('.pin-form button', 'Put a map in front')).sendKeys(Key.ENTER);
    await page.byText('.pin-head', 'map, pin');
    await page.byText('.suggestions', 'id → id');
    await hands.saved();
  });
});

describe('the map editor', () => {
  test('a field is dragged across the pin, suggestions are taken, the text is the same map', async () => {
    await page.open('/apis/towage/orderTowage');
    await hands.outcome('201');
    await hands.pin('/2/lines/0/flow/0');
    await page.byText('.pin-pane', 'of 3 required');
    await page.click('[data-side=right][data-pointer="/body/ship"]');
    await page.byText('.pin-card', 'body.callNumber');
    await page.click('button[aria-label="Close the field"]');
    const from = await page.find('[data-side=left][data-pointer="/body/name"]');
    const to = await page.find('[data-side=right][data-pointer="/body/ship"]');
    await driver
      .actions()
      .move({ origin: from })
      .press()
      .move({ origin: from, x: 12, y: 4 })
      .move({ origin: to })
      .move({ origin: to, x: 2, y: 2 })
      .release()
      .perform();
    await page.byText('.pin-card', 'body.name');
    await page.waitFor('the message to follow', async () =>
      (await page.text('[data-side=right][data-pointer="/body/ship"]')).includes('Grey Wagtail'),
    );
    await page.click('.pin-pane button', 'as text');
    await page.byText('.pin-card', '"ship": body.name');
    await page.click('.pin-pane button', 'as fields');
    await page.byText('.pin-pane', '3 of 3 required');
  });
});

describe('for everyone', () => {
  test.each([
    ['the desk', '/', 'h1'],
    ['backends', '/backends', 'table'],
    ['a backend', '/backends/vessels', '[role=option]'],
    ['a new backend', '/backends/new', '[role=tab]'],
    ['APIs', '/apis', 'table'],
    ['a new API', '/apis/new', 'form'],
    ['an API', '/apis/towage', 'table'],
    ['the Fold of a choose', '/apis/towage/orderTowage', '.pin'],
    ['the Fold of a gather', '/apis/port-calls/getPortCall', '.pin'],
    ['releases', '/releases', 'h1'],
    ['traffic', '/traffic', 'h1'],
  ])('axe finds nothing serious on %s', async (_name, path, css) => {
    await page.open(path);
    await page.find(css);
    await driver.sleep(600);
    expect(await hands.serious()).toEqual([]);
  });

  test('nor on the pins, the cases, and what callers see', async () => {
    await page.open('/apis/towage/orderTowage');
    await hands.outcome('201');
    for (const at of ['/0', '/1', '/2']) {
      await hands.pin(at);
      await driver.sleep(300);
      expect([at, await hands.serious()]).toEqual([at, []]);
    }
    await page.click('[data-testid=cases]');
    await page.byText('.cases h2', 'Cases of');
    await driver.sleep(400);
    expect(await hands.serious()).toEqual([]);
    await page.open('/apis/towage');
    await page.click('button[aria-label="Shape orderTowage"]');
    await page.byText('.cases h2', 'What callers see');
    await driver.sleep(400);
    expect(await hands.serious()).toEqual([]);
  });
});
