import { afterAll, beforeAll, describe, expect, jest, test } from '@jest/globals';
import { By, Key, type WebDriver } from 'selenium-webdriver';
import { openBrowser, Page } from '../src/browser';
import { Hands } from '../src/hands';
import { startWorld, type World } from '../src/world';

/** Nothing here clicks, and nothing sets the focus but the keys: what cannot be reached by them cannot be done. */
jest.setTimeout(120_000);
let world: World;
let driver: WebDriver;
let page: Page;
let hands: Hands;

beforeAll(async () => {
  world = await startWorld([]);
  driver = await openBrowser();
  page = new Page(driver, world.studio);
  hands = new Hands(driver, page);
  await page.signIn('ruff@tarnhaven.example', 'grey-wagtail');
}, 420_000);

afterAll(async () => {
  await driver?.quit();
  if (world) expect(await world.stop()).toBe(0);
}, 60_000);

const MOST_TABS = 120;

/** What has the focus, as a screen reader would call it; nothing where only the page has it. */
const focused = () =>
  driver.executeScript<string>(
    'const e = document.activeElement; return e === document.body ? "" : (e.getAttribute("aria-label") || e.textContent || "").trim();',
  );

/** Tab, or Shift and Tab, until something has the focus whose name begins so. */
async function tabTo(name: string, back = false): Promise<void> {
  const met: string[] = [];
  for (let i = 0; i < MOST_TABS; i++) {
    const now = await focused();
    if (now.startsWith(name)) return;
    met.push(now.slice(0, 30));
    const keys = driver.actions();
    await (back ? keys.keyDown(Key.SHIFT).sendKeys(Key.TAB).keyUp(Key.SHIFT) : keys.sendKeys(Key.TAB)).perform();
  }
  throw new Error(`${name} is not reached by Tab: ${met.slice(-40).join(' | ')}`);
}

/** A value of a select: it opens by Enter, is walked by arrows, and taken by Enter. */
async function chooseByTab(label: string, option: string, back = false): Promise<void> {
  await tabTo(label, back);
  await hands.keys(Key.ENTER);
  await page.byText('[role=option]', option);
  await page.waitFor(
    'the list to have the focus',
    async () => (await driver.executeScript('return document.activeElement.getAttribute("role")')) === 'option',
  );
  await hands.keys(Key.HOME);
  for (let i = 0; i < 30 && !(await focused()).startsWith(option); i++) await hands.keys(Key.ARROW_DOWN);
  expect(await focused()).toContain(option);
  await hands.keys(Key.ENTER);
  await page.waitFor(
    'the list to be gone',
    async () => (await driver.findElements(By.css('[role=option]'))).length === 0,
  );
}

/** Along the flow by its arrows, until the pin of this kind is open. */
async function walkTo(kind: string): Promise<void> {
  await hands.keys(...Array.from({ length: 12 }, () => Key.ARROW_LEFT));
  for (let i = 0; i < 20; i++) {
    if ((await page.text('.pin-head').catch(() => '')).startsWith(kind)) return;
    await hands.keys(Key.ARROW_RIGHT);
    await driver.sleep(60);
  }
  throw new Error(`no pin ${kind} on the way; the last was ${await page.text('.pin-head')}`);
}

describe('by keys alone', () => {
  test('a branch over two backends gets a third line with a mock, another case takes another line, all is undone', async () => {
    await page.open('/apis/towage/orderTowage');
    await hands.outcome('201');
    await walkTo('choose');
    await page.byText('.pin-line.lit', 'taken by this request');
    await tabTo('Add a line');
    await hands.keys(Key.ENTER);
    await page.byText('.line-words', 'body.callNumber is there');
    await tabTo('Add a step at /2/lines/1/flow/0', true);
    await hands.keys(Key.ENTER);
    await page.find('[role=dialog] input');
    await hands.keys(...'reply', Key.ENTER);
    await page.byText('.pin-head', 'reply, pin');
    for (let i = 0; i < 2; i++) await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
    await page.waitFor('both undone', async () => (await driver.findElements(By.css('.pin'))).length === 9);
    await chooseByTab('Case', 'a barge', true);
    await page.byText('.line-words.lit', 'otherwise');
  });

  test('a gather of four with one that fails: the line says so, the rest is answered', async () => {
    await page.open('/apis/port-calls/getPortCall');
    await hands.outcome('200');
    await walkTo('gather');
    await page.byText('.pin-line.lit', 'the slowest');
    await chooseByTab('Case', 'the pilots do not answer', true);
    await page.byText('.pin-line', 'failed,');
    await hands.outcome('200');
  });

  test('two doors over one flow: looked at, released, answered as JSON and as XML', async () => {
    await page.open('/apis/tides');
    await page.find('[role=tab]');
    await tabTo('Operations');
    await hands.keys(Key.ARROW_RIGHT, Key.ENTER);
    await page.byText('.guard-scopes', 'from all doors');
    await tabTo('Release…', true);
    await hands.keys(Key.ENTER);
    await page.byText('[role=dialog] button', 'Release to sandbox');
    await tabTo('Release to sandbox');
    await hands.keys(Key.ENTER);
    await page.byText('[role=dialog] .spruce', 'runs release');
    await hands.keys(Key.ESCAPE);
    const types = await Promise.all(
      ['v1', 'v2'].map(async (v) =>
        (await fetch(`${world.gateway}/tides/${v}/2026-12-04`)).headers.get('content-type'),
      ),
    );
    expect(types).toEqual(['application/json', 'application/xml']);
  });
});
