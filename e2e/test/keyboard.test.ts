import { describe, expect, jest, test } from '@jest/globals';
import { By, Key } from 'selenium-webdriver';
import { Keyboard } from '../src/keyboard';
import { inBrowser, type Suite } from '../src/suite';

/** Nothing here clicks, and nothing sets the focus but the keys: what cannot be reached by them cannot be done. */
jest.setTimeout(120_000);
let { world, driver, page, hands } = {} as Suite;
inBrowser([], (s) => ({ world, driver, page, hands } = s));

const keyboard = () => new Keyboard(driver, page, hands);
const replace = (text: string) => keyboard().replace(text);
const tabTo = (name: string, back = false) => keyboard().tabTo(name, back);
const chooseByTab = (label: string, option: string, back = false) => keyboard().choose(label, option, back);

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

/** Down a tree by its arrows to a field. */
async function down(pointer: string): Promise<void> {
  for (let i = 0; i < 20; i++) {
    if ((await driver.executeScript('return document.activeElement.dataset.pointer')) === pointer) return;
    await hands.keys(Key.ARROW_DOWN);
  }
  throw new Error(`no field ${pointer} on the way down`);
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

  test('a draft is reviewed and accepted, and a field of its map is joined', async () => {
    await page.open('/backends/tow');
    await page.find('h1');
    await tabTo('Draft an API');
    await hands.keys(Key.ENTER);
    await page.find('[aria-label="Operations of the draft"]');
    await tabTo('Name of the API');
    await replace('Towing by keys');
    await tabTo('Base path');
    await replace('/by-keys/v1');
    await tabTo('Include');
    await hands.keys(' ');
    await page.waitFor(
      'the row to be left out',
      async () => !(await driver.executeScript('return document.activeElement.checked')),
    );
    await hands.keys(' ');
    await tabTo('Make', true);
    await hands.keys(Key.ENTER);
    await page.byText('h1', 'Towing by keys');
    await tabTo('orderTow');
    await hands.keys(Key.ENTER);
    await page.find('.pin');
    await walkTo('map');
    await page.byText('.pin-pane', 'required');
    await page.byText('.pin-card', 'the whole body is');
    await tabTo('field by field');
    await hands.keys(Key.ENTER);
    await tabTo('as text');
    await hands.keys(Key.TAB);
    await tabTo('ship');
    await down('/body/fromBerth');
    await hands.keys(Key.ENTER);
    await page.byText('.pin-card', 'body.fromBerth');
    await replace('');
    await hands.keys(Key.DELETE, Key.ESCAPE);
    await tabTo('ship', true);
    await down('/body/toBerth');
    await hands.keys(Key.ENTER);
    await page.byText('.pin-card', 'body.toBerth');
    await hands.saved();
  });

  test('an API from nothing: a schema from a sample, its mock answers, a real call takes its place', async () => {
    await page.open('/apis');
    await page.find('table');
    await tabTo('New API');
    await hands.keys(Key.ENTER);
    await page.find('input[placeholder="Berth bookings"]');
    await tabTo('Name');
    await hands.keys('Buoys', Key.ENTER);
    await page.byText('h1', 'Buoys');
    await tabTo('Path of the new operation');
    await hands.keys('/buoys/{id}', Key.ENTER);
    await page.byText('.cases h2', 'What callers see of getBuoysById');
    await tabTo('Content type of the reply', true);
    await tabTo('From samples', true);
    await hands.keys(Key.ENTER);
    await page.find('textarea[aria-label="Sample 1"]');
    await tabTo('Sample 1');
    await hands.keys('{"id": "B-1", "metres": 4.5}');
    await page.byText('[role=dialog] .row', 'metres');
    await tabTo('Use this schema');
    await hands.keys(Key.ENTER);
    await page.byText('.pin-line', 'Value of example sample');
    await hands.keys(Key.ESCAPE);
    await hands.saved();
    await tabTo('getBuoysById');
    await hands.keys(Key.ENTER);
    await hands.outcome('200');
    await page.byText('.leaf.right', 'B-1');
    await walkTo('reply');
    await hands.keys(Key.DELETE);
    await page.waitFor('no pin', async () => (await driver.findElements(By.css('.pin'))).length === 0);
    await hands.keys('a');
    await page.find('[role=dialog] input');
    await hands.keys(...'call', Key.ENTER);
    await page.byText('.pin-head', 'call, pin');
    await chooseByTab('Backend', 'vessels');
    await chooseByTab('Operation', 'getOwner');
    await tabTo('Put a map in front');
    await hands.keys(Key.ENTER);
    await page.byText('.pin-head', 'map, pin');
    await page.byText('.suggestions', 'id → ');
    await tabTo('Take');
    await hands.keys(Key.ENTER);
    // Nobody has the id of the sample: the call fails, and opens by itself.
    await hands.outcome('404');
    await page.byText('.pin-head', 'call, pin');
    await hands.keys(...Array.from({ length: 4 }, () => Key.ARROW_LEFT));
    await tabTo('id path');
    await replace('O-31');
    await hands.outcome('200');
    await tabTo('reply 200');
    await hands.keys(Key.ENTER);
    await page.byText('.leaf', 'Kittiwake');
  });
});
