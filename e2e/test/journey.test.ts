import { describe, expect, jest, test } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { By, Key } from 'selenium-webdriver';
import { inBrowser, type Suite } from '../src/suite';
import { isSaved } from '../src/hands';

jest.setTimeout(120_000);
let { world, driver, page } = {} as Suite;
inBrowser(['--empty'], (s) => ({ world, driver, page } = s), false);
let curl = '';

const behave = (mode: string) => fetch(`${world.standIn}/_behave`, { method: 'POST', body: JSON.stringify({ mode }) });
const outcome = (part: string) => page.waitText('[data-testid=outcome]', part);
const settled = async (status: string) => {
  await outcome(status);
  await page.waitFor(
    'the rehearsal to end',
    async () => !(await page.find('[data-testid=outcome]').then((e) => e.getAttribute('class')))!.includes('busy'),
  );
};
/** A call of the page's own script: with its session and its origin. */
const fetchJson = <T>(method: string, url: string, body?: unknown) =>
  driver.executeAsyncScript<T>(
    'const [m, u, b, done] = arguments; fetch(u, { method: m, headers: { "content-type": "application/json" }, body: b === null ? undefined : JSON.stringify(b) }).then((r) => r.json()).then(done, (e) => done({ message: String(e) }));',
    method,
    url,
    body ?? null,
  );
/** Puts text into an editor the way a person does: click, select all, type. */
const typeInto = async (css: string, text: string) => {
  const el = await page.find(css);
  await el.click();
  await el.sendKeys(Key.chord(Key.CONTROL, 'a'), text, Key.ESCAPE);
};

describe('from an empty studio to a served API, with the mouse', () => {
  test('1: a wrong password is told, the right one opens the desk', async () => {
    await page.open('/backends');
    await page.fill('input[name=email]', 'ruff@tarnhaven.example');
    await page.fill('input[name=password]', 'not this one');
    await page.click('button[type=submit]');
    await page.waitText('[role=alert]', 'do not belong together');
    await page.signIn('ruff@tarnhaven.example', 'grey-wagtail');
    await page.byText('strong', 'No API yet');
  });

  test('2: bad input is told with place and remedy; then the WSDL comes in by its address', async () => {
    await page.click('nav a', 'Backends');
    await page.click('a', 'New backend');
    await page.click('[role=tab]', 'Paste');
    await page.fill('textarea[aria-label="Text of the contract"]', '<a>\n<b></a>');
    await page.click('button', 'Read');
    await page.waitText('[role=alert]', 'not well-formed XML');
    await page.waitText('[role=alert]', 'line 2');
    await page.click('[role=tab]', 'By address of the contract');
    await page.fill('input[aria-label="Address of the contract"]', `${world.standIn}/soap?wsdl`);
    await page.click('button', 'Read');
    await page.click('[role=option]', 'ReserveBerth');
    await page.byText('.typetree', 'callNumber');
    await page.byText('.mono', 'BerthTaken');
    await page.byText('div', 'Keeps a berth for a vessel or a barge');
    expect(await (await page.find('#backend-name')).getAttribute('value')).toBe('berths');
    await page.click('button', 'Keep this backend');
    await page.byText('h1', 'BerthsService');
    await page.click('button', 'Send');
    await page.byText('div', 'Received 200');
    await page.byText('.code', 'FindBerthsResponse');
  });

  test('3: the draft is sensible at first sight, a clash is told, accepting makes the API', async () => {
    await page.click('a', 'Draft an API from it');
    const path = (op: string) => page.find(`input[aria-label="Path of ${op}"]`);
    for (const [op, want] of [
      ['FindBerths', '/berths'],
      ['GetBerth', '/berths/{id}'],
      ['ReserveBerth', '/reservations'],
      ['CancelReservation', '/reservations/{reservationNumber}'],
    ] as const)
      expect(await (await path(op)).getAttribute('value')).toBe(want);
    const input = await path('GetBerth');
    await input.sendKeys(Key.chord(Key.CONTROL, 'a'), '/berths');
    await page.byText('.rust', 'is also the path of FindBerths');
    expect(await (await page.byText('button', 'Make 7 operations')).isEnabled()).toBe(false);
    await input.sendKeys(Key.chord(Key.CONTROL, 'a'), '/berths/{id}');
    await page.click('button', 'Make 7 operations');
    await page.byText('h1', 'Berths');
    await page.byText('td a', 'ReserveBerth');
  });

  test('4: the flow is rehearsed by a real gateway; the pin that failed opens by itself; every leaf is a true message', async () => {
    await page.click('td a', 'GetBerth');
    await settled('400');
    await page.byText('.pin-head', 'call, pin 2');
    await page.byText('.told', 'there is no berth A-00');
    await page.click('.end.left');
    await typeInto('#parameter-path-id', 'N-07');
    await settled('200');
    await page.waitText('[data-testid=draft-state]', ', saved', isSaved);
    await page.click('.pin[data-at="/0"]');
    await page.byText('.pin-pane', '2 of 2 required');
    expect(await page.text('[aria-label="Fields of After: GetBerth of berths"] [data-pointer="/body/id"]')).toContain(
      'N-07',
    );
    await page.click('.leaf.right [role=tab]', 'Text');
    await page.byText('.leaf.right .code', '<n1:id>N-07</n1:id>');
    const body = await page.find('body');
    await body.sendKeys(Key.ARROW_RIGHT);
    await page.byText('.pin-head', 'call, pin 2');
    await page.byText('.leaf.right .code', '<b:depthMetres>7.10</b:depthMetres>');
    expect((await driver.findElements(By.css('.leaf.right .code-line.marked'))).length).toBeGreaterThan(5);
    await body.sendKeys(Key.ARROW_RIGHT);
    await page.waitText('.leaf.right .tree', '118.50');
    await body.sendKeys(Key.ARROW_RIGHT);
    await page.byText('.leaf.right .code', '"lengthMetres": 118.50');
    await body.sendKeys(Key.ARROW_LEFT);
    await page.byText('.pin-head', 'map, pin 3');
  });

  test('5: a changed expression shows at once; a mistake is told at its place and the last good rehearsal stays', async () => {
    await page.click('.pin[data-at="/2"]');
    await page.click('.leaf.right [data-pointer="/body/berth"]');
    await typeInto(
      '.pin-card .cm-content',
      '$merge([body.berth, {{}"quay": $uppercase(body.berth.quay)}])'.replace('{{}', '{'),
    );
    await page.waitText('.leaf.right [data-pointer="/body/berth/quay"]', 'NORTH QUAY');
    await typeInto('.pin-card .cm-content', 'body.berth &');
    await page.waitText('[data-testid=findings]', '1 finding');
    await page.byText('.pin-now .rust', 'Unexpected end of expression');
    await page.waitText('.fold-notice', 'last rehearsal without the mistake');
    expect(await page.text('.leaf.right [data-pointer="/body/berth/quay"]')).toContain('NORTH QUAY');
    await typeInto('.pin-card .cm-content', 'body.berth');
    await page.waitText('[data-testid=findings]', 'no findings');
    await page.waitText('.leaf.right [data-pointer="/body/berth/quay"]', 'North quay');
  });

  test('6: a release is numbered, confirmed by the gateway, and the curl line works from a terminal', async () => {
    await page.waitText('[data-testid=draft-state]', ', saved', isSaved);
    await page.click('button', 'Release…');
    await page.fill('textarea[aria-label="Notes"]', 'first');
    await page.click('[role=dialog] button', 'Release to sandbox');
    const confirmed = await page.byText('[role=dialog] .spruce', 'runs release 1, confirmed after');
    expect(await confirmed.getText()).toMatch(/after \d+\.\d s/);
    curl = await page.text('[data-testid=curl]');
    const answer = execFileSync('bash', ['-c', `${curl} -s`], { encoding: 'utf8' });
    expect(answer).toMatch(/^HTTP\/1\.1 200 OK/);
    expect(answer).toMatch(/server-timing: .*release;desc="berths 1"/i);
    expect(answer).toContain('"depthMetres":7.10');
    await page.click('[role=dialog] button', 'Done');
  });

  test('7: the live request is in the list, opens in the same Fold with measured times, and is kept as a case', async () => {
    await page.click('nav a', 'Traffic');
    await page.click('td a', '/berths/v1/berths/N-07');
    await page.waitText('.fold-title', 'release 1');
    await page.waitText('.fold-foot', 'gateway quay-1, sandbox, door public');
    const pins = await driver.findElements(By.css('.pin .ms'));
    for (const pin of pins) expect(await pin.getText()).toMatch(/ ms$/);
    expect(await driver.findElements(By.css('.cm-content[contenteditable=true]'))).toHaveLength(0);
    // What was called then is told, though there is nothing to choose from any more.
    await page.click('.pin[data-at="/1"]');
    await page.byText('.pin-form [role=combobox]', 'berths');
    await page.byText('.pin-form [role=combobox]', 'GetBerth');
    await page.click('button', 'Keep as case');
    await page.waitText('[aria-label="Case"], .fold-title', 'kept 2');
    await settled('200');
  });
});

describe('8: things that break are told', () => {
  test('an unknown path: a plain 404 to the caller, the paths there are to the designer', async () => {
    const lost = await fetch(`${world.gateway}/berths/v1/lost`);
    expect(await lost.json()).toMatchObject({ status: 404, title: 'No operation matches' });
    await page.open('/traffic');
    await page.click('td a', '/berths/v1/lost');
    await page.byText('.frame', 'GET /berths/v1/berths/{id}');
  });

  test('the stand-in down: 503 at the call, with the address for the designer only', async () => {
    await behave('down');
    await page.open('/apis/berths/GetBerth');
    await settled('503');
    await page.byText('.told', 'BerthsService'.toLowerCase().slice(0, 6));
    expect(await page.text('.pin-head')).toContain('call, pin 2');
    const caller = await fetch(`${world.gateway}/berths/v1/berths/N-07`, { headers: { officeCode: 'TH-22' } });
    expect([caller.status, (await caller.text()).includes(new URL(world.standIn).port)]).toEqual([503, false]);
    await behave('normal');
  });

  test('wrong JSON: a 400 that names each fault', async () => {
    const r = await fetch(`${world.gateway}/berths/v1/reservations`, {
      method: 'POST',
      headers: { officeCode: 'TH-22', 'content-type': 'application/json' },
      body: '{"berth": "N-07", "colour": 1}',
    });
    expect(await r.json()).toMatchObject({
      status: 400,
      errors: expect.arrayContaining([
        { pointer: '/colour', detail: 'colour is not known here', code: 'additionalProperties' },
      ]),
    });
  });

  test('a backend without an address is a finding before it is ever called', async () => {
    await page.open('/backends/berths');
    const address = await page.find('#address-sandbox');
    await address.sendKeys(Key.chord(Key.CONTROL, 'a'), Key.BACK_SPACE);
    await page.click('button', 'Save addresses');
    await page.waitFor(
      'the save',
      async () => (await driver.findElements(By.xpath("//button[text()='Save addresses']"))).length === 0,
    );
    await page.open('/apis/berths/GetBerth');
    await page.waitText('[data-testid=findings]', 'has no address in sandbox');
    await page.open('/');
    await page.byText('td a', 'has no address in sandbox');
    await page.open('/backends/berths');
    await (await page.find('#address-sandbox')).sendKeys(`${world.standIn}/soap`);
    await page.click('button', 'Save addresses');
    await page.waitFor(
      'the save',
      async () => (await driver.findElements(By.xpath("//button[text()='Save addresses']"))).length === 0,
    );
  });
});

describe('two people and two roles', () => {
  test('the second to save is told who was first, keeps the own change on the screen, and chooses', async () => {
    await page.open('/apis/berths/GetBerth');
    await settled('');
    const draft = await fetchJson<{ revision: number; document: { api: { description?: string } } }>(
      'GET',
      '/api/apis/berths/draft',
    );
    draft.document.api.description = 'changed by another window';
    const other = await fetchJson<{ revision: number }>('POST', '/api/apis/berths/draft', {
      base: draft.revision,
      document: draft.document,
    });
    expect(other.revision).toBe(draft.revision + 1);
    await page.click('.end.left');
    await typeInto('#parameter-path-id', 'W-11');
    await page.waitText('.fold-notice', `M. Ruff saved draft ${other.revision} meanwhile`);
    expect(await (await page.find('#parameter-path-id')).getAttribute('value')).toBe('W-11');
    await page.click('.fold-notice button', 'Take theirs');
    await page.waitText('[data-testid=draft-state]', `draft ${other.revision}, saved`);
  });

  test('a request from another origin is refused (CSRF)', async () => {
    const cookies = (await driver.manage().getCookies()).map((c) => `${c.name}=${c.value}`).join('; ');
    const post = (origin: string) =>
      fetch(`${world.studio}/api/apis/berths/draft`, {
        method: 'POST',
        headers: { cookie: cookies, origin, 'content-type': 'application/json' },
        body: '{}',
      });
    expect((await post('http://evil.example')).status).toBe(403);
    expect((await post(world.studio)).status).toBe(400);
    expect((await fetch(`${world.studio}/api/apis/berths/draft`)).status).toBe(401);
  });

  test('an operator reads and does not edit', async () => {
    await driver.manage().deleteAllCookies();
    await page.signIn('plover@tarnhaven.example', 'grey-wagtail');
    await page.open('/apis/berths/GetBerth');
    await settled('');
    await page.click('.end.left');
    expect(await (await page.find('#parameter-path-id')).isEnabled()).toBe(false);
    const refused = await fetchJson<{ message: string }>('POST', '/api/apis/berths/draft', { base: 1, document: {} });
    expect(refused.message).toContain('designer');
    await driver.manage().deleteAllCookies();
    await page.signIn('ruff@tarnhaven.example', 'grey-wagtail');
  });
});

describe('points 4 and 5 with the keyboard alone', () => {
  const press = (...keys: string[]) =>
    driver
      .actions()
      .sendKeys(...keys)
      .perform();
  /** Tab until the focused element fits. */
  const tabTo = async (fits: string) => {
    for (let i = 0; i < 80; i++) {
      if (await driver.executeScript<boolean>('return document.activeElement.matches(arguments[0])', fits)) return;
      await press(Key.TAB);
    }
    throw new Error(`Tab never comes to ${fits}`);
  };

  test('walk along the flow, open a field, change its expression, see the reply, undo', async () => {
    await page.open('/apis/berths');
    await page.byText('td a', 'GetBerth');
    await tabTo('a[href="/apis/berths/GetBerth"]');
    await press(Key.ENTER);
    await settled('');
    await page.find('.pin');
    await press(Key.ARROW_LEFT, Key.ARROW_LEFT, Key.ARROW_LEFT);
    await page.find('#parameter-path-id');
    await tabTo('#parameter-path-id');
    await driver.actions().keyDown(Key.CONTROL).sendKeys('a').keyUp(Key.CONTROL).sendKeys('S-02').perform();
    await settled('200');
    await tabTo('.pin');
    await press(Key.ARROW_RIGHT);
    await page.byText('.pin-head', 'map, pin 1');
    await press(Key.ARROW_RIGHT, Key.ARROW_RIGHT);
    await page.byText('.pin-head', 'map, pin 3');
    await page.waitText('.leaf.right .tree', '184.00');
    await tabTo('.leaf.right [role=treeitem]');
    await press(Key.ENTER);
    await page.waitFor('the editor has the focus', () =>
      driver.executeScript<boolean>("return document.activeElement.classList.contains('cm-content')"),
    );
    await driver.actions().keyDown(Key.CONTROL).sendKeys('a').keyUp(Key.CONTROL).perform();
    await press('body.nope');
    await page.waitText('[data-testid=findings]', 'has no field nope');
    // The first Escape closes the list of completions, if it is open; the next one leaves the editor.
    await press(Key.ESCAPE);
    await driver.sleep(300);
    await press(Key.ESCAPE);
    await page.waitFor('Escape brings the focus back to the field', () =>
      driver.executeScript<boolean>("return document.activeElement.getAttribute('data-pointer') === '/body/berth'"),
    );
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
    await page.waitText('[data-testid=findings]', 'no findings');
    await page.waitText('.leaf.right .tree', '184.00');
    await page.waitText('[data-testid=draft-state]', ', saved', isSaved);
  });
});

describe('contracts of other kinds, and newer ones', () => {
  const tow = (extra: string) => `openapi: 3.0.3
info: {title: Tow desk, version: "1.0"}
servers: [{url: "http://127.0.0.1:1/tow"}]
paths:
  /tugs/{id}:
    get:
      operationId: getTug
      parameters:
        - {name: id, in: path, required: true, schema: {type: string}}
        - {name: session, in: cookie, schema: {type: string}}${extra}
      responses: {'200': {description: Tug, content: {application/json: {schema: {$ref: '#/components/schemas/Tug'}}}}}
    head:
      operationId: seeTug
      parameters: [{name: id, in: path, required: true, schema: {type: string}}]
      responses: {'200': {description: It is there}}
    delete:
      operationId: dropTug
      parameters: [{name: id, in: path, required: true, schema: {type: string}}]
      requestBody: {content: {application/json: {schema: {type: object, properties: {why: {type: string}}}}}}
      responses: {'204': {description: Gone}}
components: {schemas: {Tug: {type: object, required: [id], properties: {id: {type: string}, pull: {type: number}}}}}
`;

  test('an OpenAPI document is pasted, read, kept, drafted, and its flow rehearsed', async () => {
    await page.open('/backends/new');
    await page.click('[role=tab]', 'Paste');
    await page.fill('textarea[aria-label="Text of the contract"]', tow(''));
    await page.click('button', 'Read');
    await page.byText('[role=option]', 'getTug');
    await page.byText('.mono', 'GET /tugs/{id}');
    await page.click('[role=tab]', 'Types 1');
    await page.byText('button.plain.link', 'getTug');
    await page.click('button', 'Keep this backend');
    await page.waitFor('the backend', async () => (await driver.getCurrentUrl()).endsWith('/backends/tow-desk'));
    await page.click('a', 'Draft an API from it');
    expect(await (await page.find('input[aria-label="Path of getTug"]')).getAttribute('value')).toBe('/tugs/{id}');
    await page.click('button', 'Make 3 operations');
    for (const id of ['getTug', 'seeTug', 'dropTug']) await page.byText('td a', id);
    await page.open('/apis/tow-desk/getTug');
    // Nobody answers at that address: the call pin says so, and the caller gets a 503.
    await settled('503');
  });

  test('a newer contract is compared before it takes the place of the old one', async () => {
    const { mkdtempSync, writeFileSync } = await import('node:fs');
    const file = `${mkdtempSync('/tmp/hinge-newer-')}/tow.yaml`;
    writeFileSync(file, tow('\n        - {name: office, in: query, required: true, schema: {type: string}}'));
    await page.open('/backends/tow-desk');
    await page.click('button', 'Bring in a newer contract');
    await (await page.find('input[aria-label="Files of the newer contract"]')).sendKeys(file);
    await page.waitText('[data-testid=contract-changes]', '1 breaking');
    await page.byText('td', 'is new and needed');
    await page.byText('td a', 'tow-desk / getTug');
    await page.click('button', 'Put it in place of the old one');
    await page.byText('.typetree .line', 'office');
  });
});
