import { afterAll, beforeAll, describe, expect, jest, test } from '@jest/globals';
import AxeBuilder from '@axe-core/webdriverjs';
import { By, Key, type WebDriver } from 'selenium-webdriver';
import { openBrowser, Page } from '../src/browser';
import { startWorld, type World } from '../src/world';

jest.setTimeout(150_000);
let world: World;
let driver: WebDriver;
let page: Page;

beforeAll(async () => {
  world = await startWorld([]);
  driver = await openBrowser();
  page = new Page(driver, world.studio);
  await page.signIn('ruff@tarnhaven.example', 'grey-wagtail');
}, 420_000);

afterAll(async () => {
  await driver?.quit();
  if (world) expect(await world.stop()).toBe(0);
}, 60_000);

const outcome = (part: string) => page.waitText('[data-testid=outcome]', part);
const saved = () => page.waitText('[data-testid=draft-state]', ', saved');
const keys = async (...all: string[]) => {
  for (const one of all) await driver.actions().sendKeys(one).perform();
};
const pin = async (at: string) => {
  await page.find(`.pin[data-at="${at}"]`);
  await driver.executeScript('document.querySelector(arguments[0]).click()', `.pin[data-at="${at}"]`);
};
const choose = async (label: string, option: string) => {
  const el = await page.find(`[aria-label="${label}"]`);
  await driver.executeScript('arguments[0].scrollIntoView({ block: "center" })', el);
  await el.click();
  await page.click('[role=listbox] [role=option]', option);
};
/** Puts text into an editor of code, in place of what stands there. */
const write = async (css: string, text: string) => {
  const el = await page.find(css);
  await el.click();
  await driver.actions().keyDown(Key.CONTROL).sendKeys('a').keyUp(Key.CONTROL).perform();
  await keys(Key.DELETE);
  await driver.executeScript('document.execCommand("insertText", false, arguments[0])', text);
};
const serious = async () =>
  (await new AxeBuilder(driver).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze()).violations
    .filter((v) => v.impact === 'serious' || v.impact === 'critical')
    .map(
      (v) =>
        `${v.id}: ${v.nodes
          .slice(0, 3)
          .map((n) => n.target.join(' '))
          .join(' | ')}`,
    );

const TEXT = '.text-panel .cm-content';
/** The whole text of the editor, not only the lines that are drawn: as the draft carries it, once it was typed in. */
const draftText = async (slug: string) =>
  driver.executeAsyncScript<{ document: { text?: { source: string }; api: { name: string }; operations: object } }>(
    'const [url, done] = arguments; fetch(url).then((r) => r.json()).then(done)',
    `/api/apis/${slug}/draft`,
  );

describe('the OpenAPI text beside the forms', () => {
  test('what is typed comes into the forms, what the forms change comes into the text; the comment stays', async () => {
    await page.open('/apis/dues');
    await page.click('button', 'Text');
    await page.byText(TEXT, 'openapi: 3.1.0');
    await (await page.find(TEXT)).click();
    await driver.actions().keyDown(Key.CONTROL).sendKeys(Key.HOME).keyUp(Key.CONTROL).perform();
    await keys(Key.ARROW_DOWN, Key.ARROW_DOWN, Key.END, ' of the harbour # by the tariff of 2026');
    await page.waitText('h1', 'of the harbour');
    await saved();
    await page.byText('.text-state', 'say the same');
    await page.click('[role=tab]', 'About');
    await (await page.find('.about input')).sendKeys(Key.chord(Key.CONTROL, 'a'), 'Harbour dues');
    // A name that needs quotes for a moment keeps them.
    await page.waitFor('the name in the text, the comment behind it', async () =>
      /title: "?Harbour dues"? # by the tariff of 2026/.test(await page.text(TEXT)),
    );
    await saved();
  });

  test('a text that cannot be read changes nothing, says where, and is given up or repaired', async () => {
    const before = (await draftText('dues')).document;
    await (await page.find(TEXT)).click();
    await driver.actions().keyDown(Key.CONTROL).sendKeys(Key.HOME).keyUp(Key.CONTROL).perform();
    await keys(Key.END, Key.ENTER, '  bad: [');
    await page.byText('.text-state [role=alert]', 'The forms keep the last state that could be read');
    expect((await draftText('dues')).document.operations).toEqual(before.operations);
    await driver.navigate().refresh();
    await page.click('button', 'Text');
    await page.byText(TEXT, 'bad: [');
    await page.click('.text-state button', 'Give up what was typed since');
    await page.byText('.text-state', 'say the same');
    expect(await page.text(TEXT)).not.toContain('bad: [');
  });

  test('names are completed; an operation that leaves the text is kept until somebody decides', async () => {
    await page.open('/apis/new');
    await driver.executeAsyncScript(
      'const [body, done] = arguments; fetch("/api/apis/scratch", { method: "POST", headers: { "content-type": "application/json" }, body }).then(done)',
      JSON.stringify({
        slug: 'sheds',
        document: {
          hinge: 1,
          api: { name: 'Sheds', version: '1' },
          doors: [{ name: 'public', path: '/sheds' }],
          operations: { listSheds: { method: 'GET', path: '/', flow: [{ kind: 'reply', example: 'auto' }] } },
        },
      }),
    );
    await page.open('/apis/sheds');
    await page.click('button', 'Text');
    await write(
      TEXT,
      'openapi: 3.1.0\ninfo: { title: Sheds, version: "1" }\npaths:\n  /all:\n    get:\n      operationId: allSheds\n      respo',
    );
    await page.byText('.cm-tooltip-autocomplete', 'responses');
    await driver.sleep(150);
    await keys(Key.ENTER);
    await page.byText(TEXT, 'responses:');
    await keys('{ "200": { description: Sheds } }');
    await page.byText('.text-state', 'listSheds is no longer in the text');
    await page.byText('table', 'allSheds');
    expect(await page.text('table')).toContain('listSheds');
    await page.click('.text-state button', 'Remove it');
    await page.waitFor('listSheds to go', async () => !(await page.text('table')).includes('listSheds'));
    await saved();
    expect(await serious()).toEqual([]);
  });
});

describe('versions', () => {
  test('two drafts are compared step by step, and the older one comes back', async () => {
    await page.open('/apis/tides/getTideTable');
    await outcome('200');
    await keys('a');
    await keys('set');
    await driver.sleep(300);
    await keys(Key.ENTER);
    await saved();
    await page.click('[data-testid=draft-state] a');
    await page.byText('[aria-label="Changes of getTideTable"]', 'new');
    expect((await driver.findElements(By.css('.version-added'))).length).toBe(1);
    expect(await serious()).toEqual([]);
    await page.click('button', 'Go back to draft 1');
    await page.waitFor('draft 3', async () => (await driver.getCurrentUrl()).includes('to=3'));
    await page.open('/apis/tides/versions?from=1&to=3');
    await page.byText('[role=status]', 'The two say the same');
  });
});

describe('lists, item by item', () => {
  test('only some of them, grouped with a count, the values at once in the tree', async () => {
    await page.open('/apis/berths/FindBerths');
    await outcome('200');
    await pin('/2');
    await page.click('[data-side=right][data-pointer="/body/berth"]');
    await choose('List that it is made of', 'body.berth');
    await page.byText('.items', 'grouped by');
    const items = () => page.text('[data-side=right][data-pointer="/body/berth"]');
    const all = Number(/(\d+) items/.exec(await items())![1]);
    await write('[aria-label="Only items for which this holds"]', 'lengthMetres > 100');
    await page.waitFor('fewer', async () => Number(/(\d+) item/.exec(await items())?.[1]) < all);
    await write('[aria-label="One item for each"]', 'quay');
    await write('[aria-label="number of each item"]', '$key');
    await page.click('button[aria-label="Build lengthMetres"]');
    await page.click('.builder button', 'build');
    await choose('Of what', '$items.lengthMetres');
    await page.click('.builder button', 'Put it in');
    await page.byText('[aria-label="lengthMetres of each item"]', '$sum($items.lengthMetres)');
    await page.waitFor('the name of a quay in the tree', async () =>
      (await page.text('[data-side=right][data-pointer="/body/berth/*/number"]')).includes('quay'),
    );
    expect(await serious()).toEqual([]);
  });
});

describe('steps chosen together', () => {
  test('Shift with an arrow takes the next one along; both go into an attempt, and out again by undo', async () => {
    await page.open('/apis/berths/GetBerth');
    await outcome('200');
    // The joins of the first pin stand there without anything being chosen.
    await page.find('svg.joins path');
    await pin('/0');
    await driver.actions().keyDown(Key.SHIFT).sendKeys(Key.ARROW_RIGHT).keyUp(Key.SHIFT).perform();
    await page.byText('.pin-head', 'pin 1 and 1 more');
    await page.click('button[aria-label="What to do with this step"]');
    await page.click('[role=menuitem]', 'Put inside an attempt');
    await page.find('.pin[data-at="/0/flow/1"]');
    await outcome('200');
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
    await page.waitFor('three steps', async () => (await driver.findElements(By.css('.pin'))).length === 3);
  });

  test('any two messages are compared', async () => {
    await pin('/2');
    await page.click('.leaf.right [role=tab]', 'Against');
    await choose('Compare with', 'after pin 1');
    await page.byText('.leaf.right .gone', 'GetBerth');
  });
});

describe('what no case reaches', () => {
  test('gets a case with one click, and it passes', async () => {
    const line = (value: string) => ({
      name: value,
      when: { of: 'query.kind', is: 'equals', value },
      flow: [{ kind: 'reply', mediaType: 'application/json', from: `"${value}"` }],
    });
    await driver.executeAsyncScript(
      'const [body, done] = arguments; fetch("/api/apis/scratch", { method: "POST", headers: { "content-type": "application/json" }, body }).then(done)',
      JSON.stringify({
        slug: 'kinds',
        document: {
          hinge: 1,
          api: { name: 'Kinds', version: '1' },
          doors: [{ name: 'public', path: '/kinds' }],
          operations: {
            kind: {
              method: 'GET',
              path: '/',
              parameters: [{ name: 'kind', in: 'query', schema: { type: 'string' } }],
              reply: { status: 200, mediaType: 'application/json' },
              flow: [{ kind: 'choose', lines: [line('tug'), line('barge')], otherwise: [] }],
            },
          },
          cases: [{ name: 'a tug', operation: 'kind', request: { query: { kind: 'tug' } } }],
        },
      }),
    );
    await page.open('/apis/kinds/kind');
    await outcome('200');
    await page.click('[data-testid=cases]');
    await page.click('.cases button', 'Run the case');
    await page.byText('.cases .brass', 'No case reaches the line barge');
    await page.click('.cases .brass button', 'Make one');
    await page.click('.cases button', 'Run all 2');
    await page.waitFor(
      'two passes',
      async () => (await driver.findElements(By.xpath("//td//span[contains(., 'passed')]"))).length === 2,
    );
    await keys(Key.ESCAPE);
    await outcome('200');
    await page.byText('.line-words.lit', 'barge');
  });
});

describe('checks in the browser', () => {
  test('a mistake is told though no gateway answers', async () => {
    await page.open('/apis/kinds/kind');
    await outcome('200');
    await driver.executeScript(
      'const real = window.fetch; window.fetch = (u, o) => String(u).includes("/rehearse") ? new Promise(() => {}) : real(u, o)',
    );
    await pin('/0/lines/0/flow/0');
    await write('.pin-pane .cm-content', 'query.kind &');
    await page.waitFor('the finding', async () => !(await page.text('.fold-foot')).includes('no findings'));
  });
});

describe('doors', () => {
  test('a step behind the flow of one door; axe on the tabs', async () => {
    await page.open('/apis/sheds');
    await page.click('[role=tab]', 'Doors');
    await choose('Add a step behind the flow, door public', 'map');
    await write('.door-step .cm-content', '{"said": "tug"}');
    await saved();
    expect(await serious()).toEqual([]);
    await page.click('[role=tab]', 'About');
    await choose('Who sees its documentation', 'who is signed in');
    await saved();
    expect(await serious()).toEqual([]);
    await page.open('/apis/sheds/allSheds');
    await outcome('200');
    await page.byText('.leaf.right', 'JSON');
    await driver.executeScript('document.querySelector(".end.right").click()');
    await page.click('.leaf.right [role=tab]', 'Text');
    await page.byText('.leaf.right', '"said": "tug"');
  });
});
