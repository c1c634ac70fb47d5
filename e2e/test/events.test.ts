import { describe, expect, jest, test } from '@jest/globals';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key } from 'selenium-webdriver';
import { inBrowser, type Suite } from '../src/suite';

jest.setTimeout(150_000);
let { world, driver, page, hands } = {} as Suite;
inBrowser([], (s) => ({ world, driver, page, hands } = s));

const post = (path: string, body: unknown) =>
  fetch(world.gateway + path, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });

describe('HTTP into events', () => {
  test('before it is released a topic says so; a rehearsal shows the event and sends none', async () => {
    await page.open('/apis/arrivals');
    await page.click('[role=tab]', 'Topics');
    await page.click('.live button', 'Listen');
    await page.byText('.live .told', 'Nothing of this API runs in sandbox yet');
    expect(await hands.serious()).toEqual([]);
    await page.open('/apis/arrivals/reportArrival');
    await hands.outcome('202');
    await hands.pin('/0');
    await page.byText('.pin-box.event', 'A rehearsal sends nothing');
    await page.byText('.pin-box.event', 'tarnhaven.arrival.announced');
    expect(await hands.serious()).toEqual([]);
  });

  test('released: what one publishes the other hears, by page, by stream and by waiting', async () => {
    await page.open('/apis/arrivals');
    await hands.release();
    await page.click('[role=tab]', 'Topics');
    await page.click('.live button', 'Listen');
    await page.byText('.live [aria-live]', 'listening, 0 events');
    const stream = await fetch(`${world.gateway}/arrivals/v1/announced`, { headers: { accept: 'text/event-stream' } });
    const reader = stream.body!.getReader();
    await page.click('.live button', 'Publish');
    await page.byText('.live [role=status]', '202');
    await page.byText('.heard-row', 'announced');
    // Another way in: a flow that makes the event.
    const report = { callNumber: 'TV-40213', vesselName: 'Grey Wagtail', expectedAt: '2026-12-04T06:30:00Z' };
    await page.waitFor('the door', async () => (await post('/arrivals/v1/reports', report)).status === 202);
    await page.byText('.heard-row', 'TV-40213');
    let text = '';
    while (!text.includes('Grey Wagtail')) text += Buffer.from((await reader.read()).value!).toString();
    expect(text).toContain('"type":"tarnhaven.arrival.announced"');
    await reader.cancel();
    const kept = await fetch(`${world.gateway}/arrivals/v1/announced?wait=1`);
    expect(((await kept.json()) as unknown[]).length).toBeGreaterThan(1);
    await page.click('.heard-row', 'TV-40213');
    await page.byText('.heard pre', '"vessel": "TV-40213"');
    expect(await hands.serious()).toEqual([]);
  });

  test('the agents get it by a signed webhook; one that is down gets it when it is back', async () => {
    const receiver = /(http:\/\/127\.0\.0\.1:\d+)\/received/.exec(world.output())![1]!;
    const topic = `${world.gateway}/arrivals/v1/announced`;
    const asked = await fetch(`${world.gateway}/arrivals/v1/hub`, {
      method: 'POST',
      body: new URLSearchParams({
        'hub.mode': 'subscribe',
        'hub.topic': topic,
        'hub.callback': `${receiver}/hooks/kittiwake`,
        'hub.secret': 'tide-table',
      }),
    });
    expect(asked.status).toBe(202);
    const came = async () =>
      (await (await fetch(`${receiver}/received`)).json()) as { signed: boolean; status: number; body: string }[];
    const until = async (what: (c: Awaited<ReturnType<typeof came>>) => boolean) => {
      for (let i = 0; i < 300; i++) {
        if (what(await came())) return;
        await new Promise((r) => setTimeout(r, 100));
      }
      throw new Error(`never: ${JSON.stringify(await came())}`);
    };
    // The control port is one above the gateway's own.
    const control = new URL(world.gateway);
    control.port = String(Number(control.port) + 1);
    await page.waitFor('the subscription', async () => {
      const { subscriptions } = (await (await fetch(`${control.origin}/webhooks`)).json()) as { subscriptions: number };
      return subscriptions === 1;
    });
    await post('/arrivals/v1/announced', { vessel: 'TV-11111', at: '2026-12-04T06:30:00Z' });
    await until((c) => c.some((r) => r.signed && r.status === 204 && r.body.includes('TV-11111')));
    await fetch(`${receiver}/_behave`, { method: 'POST', body: '{"mode":"down"}' });
    await post('/arrivals/v1/announced', { vessel: 'TV-22222', at: '2026-12-04T06:30:00Z' });
    await until((c) => c.some((r) => r.status === 503 && r.body.includes('TV-22222')));
    await fetch(`${receiver}/_behave`, { method: 'POST', body: '{}' });
    await until((c) => c.some((r) => r.status === 204 && r.body.includes('TV-22222')));
    // The studio shows who is called back, and every try.
    await page.open('/apis/arrivals');
    await page.click('[role=tab]', 'Topics');
    await page.byText('section[aria-label="Called back"] .subscribers li', '/hooks/kittiwake');
    await page.click('section[aria-label="Called back"] .heard-row', 'delivered');
    await page.byText('.tries td', 'try 2');
    await page.byText('.tries pre', '"vessel"');
    // How much went through, as words and as a chart.
    const rates = 'section[aria-label="Through this topic"]';
    await page.byText(`${rates} .rates-words`, 'handed to listeners');
    const words = await (await page.find(`${rates} [role=img]`)).getAttribute('aria-label');
    const [, published, heard] = /(\d+) published, 0 not taken, (\d+) handed/.exec(words ?? '') ?? [];
    expect(Number(published)).toBeGreaterThanOrEqual(2);
    expect(Number(heard)).toBeGreaterThanOrEqual(2);
    await page.find(`${rates} .recharts-bar-rectangle`);
    expect(await hands.serious()).toEqual([]);
  });

  test('what breaks the schema is told in the page, field by field', async () => {
    await hands.write('textarea[aria-label="Data of the event"]', '{"vessel": "nobody"}');
    await page.click('.live button', 'Publish');
    await page.byText('.live [role=status]', '/vessel');
  });

  test('a topic with parameters is many: one page hears them all, one listener hears one', async () => {
    await page.fill('input[aria-label="Name of a new topic"]', 'light');
    await page.click('.column button', 'Add');
    await hands.fill('Name at the broker, with {parameters}', 'tarnhaven/{berth}/lights/{light}');
    await hands.fill('Values {berth} may have', 'north, south');
    await hands.saved();
    await hands.release();
    await page.click('[role=tab]', 'Topics');
    await page.click('[role=option]', 'light');
    await page.click('.live button', 'Listen');
    await page.byText('.live [aria-live]', 'listening, 0 events');
    for (const [path, status] of Object.entries({ 'north/7': 202, 'south/7': 202, 'east/7': 400 }))
      expect((await post(`/arrivals/v1/light/${path}`, { at: path })).status).toBe(status);
    await page.byText('.live [aria-live]', 'listening, 2 events');
    await page.fill('input[aria-label="Publish to berth"]', 'north');
    await page.fill('input[aria-label="Publish to light"]', '8');
    await page.click('.live button', 'Publish');
    await page.byText('.live [aria-live]', 'listening, 3 events');
    const kept = await (await fetch(`${world.gateway}/arrivals/v1/light/north/8?wait=1`)).json();
    expect(kept).toMatchObject([{ subject: 'north/8', type: 'light' }]);
    expect(await hands.serious()).toEqual([]);
  });

  test('a trace of what was published opens as a fold', async () => {
    await page.open('/traffic');
    await page.click('td a', 'POST /arrivals/v1/announced');
    await page.byText('h1', 'announced');
    await page.byText('.pin-head, .track', 'publish');
    await driver.sleep(300);
    expect(await hands.serious()).toEqual([]);
  });
});

describe('a topic from nothing, by keyboard alone', () => {
  test('named, with a door, published to by a step of a flow', async () => {
    await page.open('/apis');
    await hands.fetchJson('POST', '/api/apis/scratch', {
      slug: 'whistles',
      document: {
        hinge: 1,
        api: { name: 'Whistles', version: '1' },
        doors: [{ name: 'public', path: '/whistles' }],
        operations: { blow: { method: 'POST', path: '/blow', flow: [] } },
        cases: [
          {
            name: 'once',
            operation: 'blow',
            request: { headers: { 'content-type': 'application/json' }, body: { n: 1 } },
          },
        ],
      },
    });
    await page.open('/apis/whistles');
    await (await page.byText('[role=tab]', 'Topics')).sendKeys(Key.ENTER);
    const name = await page.find('input[aria-label="Name of a new topic"]');
    await name.sendKeys('blown', Key.ENTER);
    await page.byText('.topics .note', 'No door answers events');
    await (await page.byText('[role=tab]', 'Doors')).sendKeys(Key.ENTER);
    await hands.chooseByKeys('What public answers', 'events, a path for each topic');
    await hands.saved();
    await page.open('/apis/whistles/blow');
    await hands.outcome('500');
    await hands.keys('a');
    await (await page.find('[role=dialog] input')).sendKeys('pub', Key.ENTER);
    await page.byText('.pin-head', 'publish, pin 1');
    await hands.outcome('202');
    await hands.saved();
    await hands.release();
    await page.waitFor('the flow on the gateway', async () => (await post('/whistles/blow', { n: 1 })).status === 202);
    const kept = await fetch(`${world.gateway}/whistles/blown?wait=1`);
    expect(((await kept.json()) as { data: unknown }[])[0]!.data).toEqual({ n: 1 });
  });
});

describe('topics that somebody described already', () => {
  test('an AsyncAPI document becomes an API: what is left out is told, what is there is shown', async () => {
    const file = join(mkdtempSync(join(tmpdir(), 'hinge-asyncapi-')), 'lights.yaml');
    writeFileSync(
      file,
      `asyncapi: 3.0.0
info: { title: Quay lights, version: 2.0.0 }
channels:
  measured:
    address: lights/measured
    title: Measured
    messages: { event: { payload: { $ref: '#/components/schemas/Measured' } } }
  wild: { address: null, messages: {} }
components:
  schemas:
    Measured: { type: object, properties: { lumens: { type: integer } }, required: [lumens] }
`,
    );
    await page.open('/apis/new');
    await hands.choose('Begins with', 'the topics of an AsyncAPI document');
    const wrong = join(mkdtempSync(join(tmpdir(), 'hinge-asyncapi-')), 'other.yaml');
    writeFileSync(wrong, 'openapi: 3.1.0\n');
    const input = await page.driver.findElement(By.css('input[aria-label="AsyncAPI files"]'));
    await input.sendKeys(wrong);
    await page.waitText('[role=alert]', 'No AsyncAPI document is among other.yaml');
    await input.sendKeys(file);
    await page.waitText('[role=status]', 'Quay lights: 1 topic, no broker, 1 type');
    await page.waitText('[role=status]', 'the channel wild is left out');
    expect(await hands.serious()).toEqual([]);
    await page.click('button', 'Make the API');
    await page.byText('h1', 'Quay lights');
    await page.click('[role=tab]', 'Topics');
    await page.waitText('.topics', '/quay-lights/v1/lights/measured');
  });

  test('events run an operation without a caller, once that is released', async () => {
    await hands.fetchJson('POST', '/api/apis/scratch', {
      slug: 'foghorns',
      document: {
        hinge: 1,
        api: { name: 'Foghorns', version: '1.0.0' },
        doors: [{ name: 'feed', path: '/foghorns', answers: 'events' }],
        topics: { sounded: {}, noted: {} },
        operations: { note: { method: 'POST', path: '/note', flow: [{ kind: 'publish', topic: 'noted' }] } },
      },
    });
    await page.open('/apis/foghorns');
    await page.click('[role=tab]', 'Topics');
    const area = 'section[aria-label="Without a caller"]';
    await page.click(`${area} button`, 'Run an operation');
    await page.waitText(area, 'Events run note');
    await page.click(`${area} button`, 'Be called back');
    await page.waitText(area, 'Others call back with events');
    await page.click(`${area} button[aria-label="Remove the callback"]`);
    expect(await hands.serious()).toEqual([]);
    await hands.saved();
    await hands.release();
    const base = `${world.gateway}/foghorns`;
    await page.waitFor(
      'the topic on the gateway',
      async () => (await post('/foghorns/sounded', { n: 7 })).status === 202,
    );
    await page.waitFor('what the operation published', async () => {
      const kept = await fetch(`${base}/noted?wait=1`);
      return kept.status === 200 && ((await kept.json()) as { data: { n: number } }[])[0]!.data.n === 7;
    });
    await page.click(`${area} button[aria-label="Switch the consumer sounded off"]`);
    await page.waitText(area, 'switched off');
    await hands.saved();
  });
});

describe('REST and SOAP into one graph', () => {
  test('a query is planned while it is typed, run on a gateway, and its calls are told with their times', async () => {
    await page.open('/apis/harbour-graph');
    await page.click('[role=tab]', 'Query');
    await page.waitText('[data-testid=query-calls]', 'It will make 9 calls, and may cost 18 of 1000');
    await page.waitText(
      '[data-testid=query-calls]',
      'for all items of reservations.reservation together, 20 to a call',
    );
    await page.waitText('[data-testid=query-calls]', 'behind vessel');
    await page.click('button', 'Run');
    await page.waitText('[data-testid=query-outcome]', '200');
    // The second look at the same vessel is no call of its own, nor is the owner that both have.
    await page.waitText('[data-testid=query-calls]', 'It made 7 calls, 2 look-ups were answered by them too');
    await page.waitText('.graph-answer', 'Kittiwake Agency');
  });

  test('by keyboard: a mistake is told before anything runs, a completed name runs', async () => {
    await driver.executeScript('document.querySelector(\'.cm-content[aria-label="Text of the query"]\').focus()');
    await driver.actions().keyDown(Key.CONTROL).sendKeys('a').keyUp(Key.CONTROL).perform();
    await driver.actions().sendKeys('{ nobody }').perform();
    await page.waitText('[data-testid=query-calls]', 'Cannot query field "nobody"');
    await driver.actions().keyDown(Key.CONTROL).sendKeys('a').keyUp(Key.CONTROL).perform();
    await driver.actions().sendKeys('{ searchV').perform();
    await page.byText('.cm-tooltip-autocomplete li', 'searchVessels');
    await driver.sleep(150);
    await driver.actions().sendKeys(Key.ENTER).perform();
    await driver.actions().sendKeys(' { total ').perform();
    await page.waitText('[data-testid=query-calls]', 'It will make one call');
    await driver.actions().keyDown(Key.CONTROL).sendKeys(Key.ENTER).keyUp(Key.CONTROL).perform();
    await page.waitText('[data-testid=query-calls]', 'It made one call');
    await page.waitText('.graph-answer', '"total"');
    expect(await hands.serious()).toEqual([]);
  });

  test('a field is joined: which type, which operation, by what; the plan knows it at once, and a gateway resolves it', async () => {
    const joins = 'section[aria-label="Joined fields"]';
    await page.click('button', 'Join a field');
    const choose = async (label: string, text: string) => {
      const el = await page.find(`input[aria-label="${label}"]`);
      await el.sendKeys(text);
      await page.byText('[role=option]', text);
      await el.sendKeys(Key.ENTER);
    };
    await choose('Type that gets the field', 'VesselsVessel');
    await page.waitText(joins, 'Give the field a name');
    await page.fill('input[aria-label="Name of the joined field"]', 'same');
    await choose('Operation that resolves it', 'searchVessels');
    // What has the same name in the type is chosen, and looked up together.
    await page.waitText('[aria-label="callNumber of searchVessels"]', 'callNumber of VesselsVessel');
    await page.waitText('[aria-label="How many look-ups go in one call"]', 'many values in one call');
    await hands.choose('What tells an item from another', 'callNumber');
    await page.click('button', 'Join it');
    await page.waitText(joins, 'callNumber from callNumber; together, up to 100, told apart by callNumber');
    await hands.saved();
    await hands.write(
      '.cm-content[aria-label="Text of the query"]',
      '{ getVessel(callNumber: "TV-40213") { name same { callNumber } } }',
    );
    await page.waitText('[data-testid=query-calls]', 'It will make 2 calls');
    await page.click('button', 'Run');
    await page.waitText('.graph-answer', '"callNumber": "TV-40213"');
    expect(await hands.serious()).toEqual([]);
    await page.click('button[aria-label="Remove the join VesselsVessel.same"]');
    await page.waitText('[data-testid=query-calls]', 'Cannot query field "same"');
    await hands.write('.cm-content[aria-label="Text of the query"]', '{ searchVessels { total } }');
    await page.waitText('[data-testid=query-calls]', 'It will make one call');
    await hands.saved();
  });

  test('a field is guarded: a request that names it is refused before anything is called, until the guard is gone', async () => {
    const fields = 'section[aria-label="Guarded fields"]';
    const el = await page.find('input[aria-label="Guard a field"]');
    await el.sendKeys('Query.searchV');
    await page.byText('[role=option]', 'Query.searchVessels');
    await el.sendKeys(Key.ENTER);
    await page.waitText(`${fields} .guard-row`, 'key');
    await hands.saved();
    const text = '.cm-content[aria-label="Text of the query"]';
    await hands.write(text, '{ all: searchVessels { total } }');
    await page.click('button', 'Run');
    await page.waitText('.graph-answer', 'Query.searchVessels may not be asked for: A valid key is needed');
    expect(await hands.serious()).toEqual([]);
    await page.click(`${fields} button[aria-label="Remove the guard key"]`);
    await page.waitText(fields, 'None:');
    await hands.saved();
    await page.click('button', 'Run');
    await page.waitText('.graph-answer', '"total"');
    await hands.write(text, '{ searchVessels { total } }');
    await page.waitText('[data-testid=query-calls]', 'It will make one call');
  });

  test('a subscription is heard in the page, each event with what is joined to it, once the graph is released', async () => {
    const answer = '.graph-answer';
    await hands.write(
      '.cm-content[aria-label="Text of the query"]',
      'subscription { berthed { berth details { name } } }',
    );
    await page.waitText('[data-testid=query-calls]', 'for each event');
    await page.click(`${answer} button`, 'Listen');
    await page.waitText(`${answer} [role=alert]`, 'Nothing of this API runs in sandbox yet');
    await hands.release();
    await page.click(`${answer} button`, 'Listen');
    await page.waitText(`${answer} [aria-live]`, 'listening, 0 events');
    const event = { vessel: 'TV-40213', name: 'GW', berth: 'N-07', at: '2026-12-04T06:30:00Z' };
    expect((await post('/arrivals/v1/berthed', event)).status).toBe(202);
    await page.waitText(`${answer} [aria-live]`, 'listening, 1 event');
    await page.waitText(
      `${answer} .heard-row`,
      '{"data":{"berthed":{"berth":"N-07","details":{"name":"Grey Wagtail"}}}}',
    );
    expect(await hands.serious()).toEqual([]);
    await page.click(`${answer} button`, 'Stop');
    await page.waitText(`${answer} [aria-live]`, 'stopped, 1 event');
    await hands.write('.cm-content[aria-label="Text of the query"]', '{ searchVessels { total } }');
    await page.waitText('[data-testid=query-calls]', 'It will make one call');
  });

  test('a query is kept; where only kept ones are answered another is not', async () => {
    await page.fill('input[aria-label="Name of the kept query"]', 'howMany');
    await page.click('button', 'Keep the query above');
    await page.byText('section[aria-label="Kept queries"] button', 'howMany');
    await hands.choose('Which queries are answered', 'only kept ones are answered');
    await driver.executeScript('document.querySelector(\'.cm-content[aria-label="Text of the query"]\').focus()');
    await driver.actions().keyDown(Key.CONTROL).sendKeys('a').keyUp(Key.CONTROL).perform();
    await driver.actions().sendKeys('{ __typename }').perform();
    await page.click('button', 'Run');
    await page.waitText('.graph-answer', 'Only queries that are kept here are answered');
    await page.click('section[aria-label="Kept queries"] button', 'howMany');
    await page.click('button', 'Run');
    await page.waitText('.graph-answer', '"total"');
    expect(await hands.serious()).toEqual([]);
  });
});
