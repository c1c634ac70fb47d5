import { describe, expect, jest, test } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { By, Key } from 'selenium-webdriver';
import { inBrowser, type Suite } from '../src/suite';

jest.setTimeout(150_000);
let { world, driver, page, hands } = {} as Suite;
inBrowser([], (s) => ({ world, driver, page, hands } = s));

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
    await hands.keys(Key.ARROW_DOWN, Key.ARROW_DOWN, Key.END, ' of the harbour # by the tariff of 2026');
    await page.waitText('h1', 'of the harbour');
    await hands.saved();
    await page.byText('.text-state', 'say the same');
    await page.click('[role=tab]', 'About');
    await (await page.find('.about input')).sendKeys(Key.chord(Key.CONTROL, 'a'), 'Harbour dues');
    // A name that needs quotes for a moment keeps them.
    await page.waitFor('the name in the text, the comment behind it', async () =>
      /title: "?Harbour dues"? # by the tariff of 2026/.test(await page.text(TEXT)),
    );
    await hands.saved();
  });

  test('a text that cannot be read changes nothing, says where, and is given up or repaired', async () => {
    const before = (await draftText('dues')).document;
    await (await page.find(TEXT)).click();
    await driver.actions().keyDown(Key.CONTROL).sendKeys(Key.HOME).keyUp(Key.CONTROL).perform();
    await hands.keys(Key.END, Key.ENTER, '  bad: [');
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
    await hands.write(
      TEXT,
      'openapi: 3.1.0\ninfo: { title: Sheds, version: "1" }\npaths:\n  /all:\n    get:\n      operationId: allSheds\n      respo',
    );
    await page.byText('.cm-tooltip-autocomplete', 'responses');
    await driver.sleep(150);
    await hands.keys(Key.ENTER);
    await page.byText(TEXT, 'responses:');
    await hands.keys('{ "200": { description: Sheds } }');
    await page.byText('.text-state', 'listSheds is no longer in the text');
    await page.byText('table', 'allSheds');
    expect(await page.text('table')).toContain('listSheds');
    await page.click('.text-state button', 'Remove it');
    await page.waitFor('listSheds to go', async () => !(await page.text('table')).includes('listSheds'));
    await hands.saved();
    expect(await hands.serious()).toEqual([]);
  });
});

describe('a page that was left while it saved', () => {
  test('comes back without a conflict where what was on its way had come', async () => {
    const left = (change: string) =>
      driver.executeAsyncScript(
        `const done = arguments[0]; fetch("/api/apis/sheds/draft").then((r) => r.json()).then(({ document }) => { ${change}; sessionStorage.setItem("hinge draft sheds", JSON.stringify({ revision: 1, document })); done() })`,
      );
    await left('');
    await page.open('/apis/sheds');
    await page.byText('table', 'allSheds');
    await hands.saved();
    expect(await page.text('[data-testid=draft-state]')).not.toContain('draft 1,');
    await left('document.api.name = "Sheds of mine"');
    await page.open('/apis/sheds');
    await page.byText('h1', 'Sheds of mine');
    await page.waitText('[data-testid=draft-state]', 'draft 1, not saved');
    await page.click('[role=alert] button', 'Take theirs');
    await hands.saved();
    await page.byText('h1', 'Sheds');
  });
});

describe('versions', () => {
  test('two drafts are compared step by step, and the older one comes back', async () => {
    await page.open('/apis/tides/getTideTable');
    await hands.outcome('200');
    await hands.keys('a');
    await hands.keys('set');
    await driver.sleep(300);
    await hands.keys(Key.ENTER);
    await hands.saved();
    await page.click('[data-testid=draft-state] a');
    await page.byText('[aria-label="Changes of getTideTable"]', 'new');
    expect((await driver.findElements(By.css('.version-added'))).length).toBe(1);
    expect(await hands.serious()).toEqual([]);
    await page.click('button', 'Go back to draft 1');
    await page.waitFor('draft 3', async () => (await driver.getCurrentUrl()).includes('to=3'));
    await page.open('/apis/tides/versions?from=1&to=3');
    await page.byText('[role=status]', 'The two say the same');
  });
});

describe('lists, item by item', () => {
  test('only some of them, grouped with a count, the values at once in the tree', async () => {
    await page.open('/apis/berths/FindBerths');
    await hands.outcome('200');
    await hands.pin('/2');
    await page.click('[data-side=right][data-pointer="/body/berth"]');
    await hands.choose('List that it is made of', 'body.berth');
    await page.byText('.items', 'grouped by');
    const items = () => page.text('[data-side=right][data-pointer="/body/berth"]');
    const all = Number(/(\d+) items/.exec(await items())![1]);
    await hands.write('[aria-label="Only items for which this holds"]', 'lengthMetres > 100');
    await page.waitFor('fewer', async () => Number(/(\d+) item/.exec(await items())?.[1]) < all);
    await hands.write('[aria-label="One item for each"]', 'quay');
    await hands.write('[aria-label="number of each item"]', '$key');
    await page.click('button[aria-label="Build lengthMetres"]');
    await page.click('.builder button', 'build');
    await hands.choose('Of what', '$items.lengthMetres');
    await page.click('.builder button', 'Put it in');
    await page.byText('[aria-label="lengthMetres of each item"]', '$sum($items.lengthMetres)');
    await page.waitFor('the name of a quay in the tree', async () =>
      (await page.text('[data-side=right][data-pointer="/body/berth/*/number"]')).includes('quay'),
    );
    expect(await hands.serious()).toEqual([]);
  });
});

describe('steps chosen together', () => {
  test('Shift with an arrow takes the next one along; both go into an attempt, and out again by undo', async () => {
    await page.open('/apis/berths/GetBerth');
    await hands.outcome('200');
    // The joins of the first pin stand there without anything being chosen.
    await page.find('svg.joins path');
    await hands.pin('/0');
    await driver.actions().keyDown(Key.SHIFT).sendKeys(Key.ARROW_RIGHT).keyUp(Key.SHIFT).perform();
    await page.byText('.pin-head', 'pin 1 and 1 more');
    await page.click('button[aria-label="What to do with this step"]');
    await page.click('[role=menuitem]', 'Put inside an attempt');
    await page.find('.pin[data-at="/0/flow/1"]');
    await hands.outcome('200');
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
    await page.waitFor('three steps', async () => (await driver.findElements(By.css('.pin'))).length === 3);
  });

  test('any two messages are compared', async () => {
    await hands.pin('/2');
    await page.click('.leaf.right [role=tab]', 'Against');
    await hands.choose('Compare with', 'after pin 1');
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
    await hands.outcome('200');
    await page.click('[data-testid=cases]');
    await page.click('.cases button', 'Run the case');
    await page.byText('.cases .brass', 'No case reaches the line barge');
    await page.click('.cases .brass button', 'Make one');
    await page.click('.cases button', 'Run all 2');
    await page.waitFor(
      'two passes',
      async () => (await driver.findElements(By.xpath("//td//span[contains(., 'passed')]"))).length === 2,
    );
    await hands.keys(Key.ESCAPE);
    await hands.outcome('200');
    await page.byText('.line-words.lit', 'barge');
  });
});

describe('checks in the browser', () => {
  test('a mistake is told though no gateway answers', async () => {
    await page.open('/apis/kinds/kind');
    await hands.outcome('200');
    await driver.executeScript(
      'const real = window.fetch; window.fetch = (u, o) => String(u).includes("/rehearse") ? new Promise(() => {}) : real(u, o)',
    );
    await hands.pin('/0/lines/0/flow/0');
    await hands.write('.pin-pane .cm-content', 'query.kind &');
    await page.waitFor('the finding', async () => !(await page.text('.fold-foot')).includes('no findings'));
  });
});

describe('doors', () => {
  test('a step behind the flow of one door; axe on the tabs', async () => {
    await page.open('/apis/sheds');
    await page.click('[role=tab]', 'Doors');
    await hands.choose('Add a step behind the flow, door public', 'map');
    await hands.write('.door-step .cm-content', '{"said": "tug"}');
    await hands.saved();
    expect(await hands.serious()).toEqual([]);
    await page.click('[role=tab]', 'About');
    await hands.choose('Who sees its documentation', 'who is signed in');
    await hands.saved();
    expect(await hands.serious()).toEqual([]);
    await page.open('/apis/sheds/allSheds');
    await hands.outcome('200');
    await page.byText('.leaf.right', 'JSON');
    await driver.executeScript('document.querySelector(".end.right").click()');
    await page.click('.leaf.right [role=tab]', 'Text');
    await page.byText('.leaf.right', '"said": "tug"');
  });
});

describe('undo where callers are shaped', () => {
  test('a change in the forms goes back and forth by keys, the text with it', async () => {
    await page.open('/apis/sheds');
    await page.click('[role=tab]', 'About');
    const name = await page.find('input[aria-label="Name"], .about input');
    const was = (await name.getAttribute('value'))!;
    await name.sendKeys(' of the quay', Key.TAB);
    await page.byText('h1', `${was} of the quay`);
    await page.click('h1');
    await driver.executeScript('document.activeElement.blur()');
    const body = await page.find('body');
    // Keys that follow each other closely are one step back; where the machine pauses between them, they are several.
    let steps = 0;
    for (; steps < ' of the quay'.length && (await page.text('h1')) !== was; steps++) {
      const before = await page.text('h1');
      await body.sendKeys(Key.chord(Key.CONTROL, 'z'));
      await page.waitFor('a step back', async () => (await page.text('h1')) !== before);
    }
    expect(await page.text('h1')).toBe(was);
    for (let n = 0; n < steps; n++) await body.sendKeys(Key.chord(Key.CONTROL, 'y'));
    await page.byText('h1', `${was} of the quay`);
    await hands.saved();
  });
});

describe('a type of 700 fields', () => {
  const names = Array.from({ length: 700 }, (_, i) => `field${i + 1}`);
  const type = { type: 'object', properties: Object.fromEntries(names.map((n) => [n, { type: 'string' }])) };

  test('is drawn as far as it is seen, walked by keys, and joined at its end', async () => {
    await page.open('/apis');
    await hands.fetchJson('POST', '/api/apis/scratch', {
      slug: 'wide',
      document: {
        hinge: 1,
        api: { name: 'Wide', version: '1' },
        doors: [{ name: 'public', path: '/wide' }],
        types: { Wide: type },
        operations: {
          put: {
            method: 'POST',
            path: '/',
            request: { mediaType: 'application/json', schema: { $ref: '#/types/Wide' } },
            reply: { status: 200, mediaType: 'application/json', schema: { $ref: '#/types/Wide' } },
            flow: [
              { kind: 'map', to: 'reply', fields: [{ to: '/body/field700', from: 'body.field699' }] },
              { kind: 'reply' },
            ],
          },
        },
        cases: [
          {
            name: 'one',
            operation: 'put',
            request: {
              headers: { 'content-type': 'application/json' },
              body: JSON.stringify(Object.fromEntries(names.map((n) => [n, `v ${n}`]))),
            },
          },
        ],
      },
    });
    await page.open('/apis/wide/put');
    await hands.outcome('200');
    await hands.pin('/0');
    await page.find('[data-side=right][data-pointer="/body/field1"]');
    expect(await hands.count('[role=treeitem]')).toBeLessThan(160);
    // The one join goes from what is far below to what is far below.
    await page.find('svg.joins path');
    await page.click('[data-side=right][data-pointer="/body/field3"]');
    const row = await page.find('[data-side=right][data-pointer="/body/field3"][role=treeitem]');
    await driver.executeScript('arguments[0].focus()', row);
    await hands.keys(...Array.from({ length: 60 }, () => Key.ARROW_DOWN));
    await page.waitFor(
      'the 63rd field to have the focus',
      async () => (await driver.executeScript('return document.activeElement.dataset.pointer')) === '/body/field63',
    );
    await driver.executeScript('document.querySelector(".leaf-body[data-scroll=right]").scrollTop = 1e6');
    expect(await (await page.byText('[data-side=right][role=treeitem]', 'field700')).getText()).toContain('v field699');
    expect(await hands.serious()).toEqual([]);
  });

  test('an expression completes its names with what stands there now', async () => {
    await page.click('[data-side=right][data-pointer="/body/field700"][role=treeitem]');
    await hands.write('.pin-card .cm-content', 'body.field55');
    await page.byText('.cm-tooltip-autocomplete', 'now v field55');
    await hands.keys(Key.ESCAPE);
  });
});

describe("somebody else's contract", () => {
  test('the stock quote example of the W3C note on WSDL 1.1 becomes an API whose flow is mapped and rehearsed', async () => {
    await page.open('/backends/new');
    await page.click('[role=tab]', 'Paste');
    const source = readFileSync(new URL('../../core/test/contracts/stockquote.wsdl', import.meta.url), 'utf8');
    const area = await page.find('textarea[aria-label="Text of the contract"]');
    await area.click();
    await driver.executeScript('document.execCommand("insertText", false, arguments[0])', source);
    await page.click('button', 'Read');
    await page.byText('[role=option]', 'GetLastTradePrice');
    await page.click('button', 'Keep this backend');
    await page.click('a', 'Draft an API from it');
    await page.byText('button', 'Make 1 operation');
    expect(await hands.serious()).toEqual([]);
    await page.click('button', 'Make 1 operation');
    await page.click('td a', 'GetLastTradePrice');
    // There is no such backend: the pin that failed opens, and says why.
    await hands.outcome('503');
    await page.byText('.leaf.right', 'stock-quote cannot be reached now');
    await hands.pin('/0');
    await page.byText('.pin-pane', '1 of 1 required');
    await page.byText('[data-side=right]', 'tickerSymbol');
    await page.click('.leaf.right [role=tab]', 'Text');
    await page.byText('.leaf.right .code', 'TradePriceRequest');
  });
});

describe('axe on what stands apart', () => {
  test('a trace, types, callers, versions; the sign-in', async () => {
    await page.open('/apis/tides');
    await hands.release();
    await page.waitFor(
      'the table on the gateway',
      async () => (await fetch(`${world.gateway}/tides/v1/2026-12-04`)).status === 200,
    );
    await page.open('/traffic');
    await page.click('td a');
    await page.find('.pin');
    await driver.sleep(400);
    expect(await hands.serious()).toEqual([]);
    await page.open('/apis/tides');
    for (const tab of ['Types', 'Plans']) {
      await page.click('[role=tab]', tab);
      await driver.sleep(300);
      expect([tab, await hands.serious()]).toEqual([tab, []]);
    }
    await driver.manage().deleteAllCookies();
    await page.open('/sign-in');
    await page.find('input[name=email]');
    expect(await hands.serious()).toEqual([]);
  });
});
