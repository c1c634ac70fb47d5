import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import type { WebDriver } from 'selenium-webdriver';
import { openBrowser, Page } from './browser';
import { ROOT, startWorld } from './world';
import { isSaved } from './hands';

/** `npm run pictures`: one picture of each main view from demo data, 1280x800, into docs/screenshots. */
const out = (name: string) => join(ROOT, 'docs/screenshots', `${name}.png`);
const world = await startWorld([]);
const drivers: WebDriver[] = [];

async function open(dark = false): Promise<Page> {
  const driver = await openBrowser(dark);
  drivers.push(driver);
  const page = new Page(driver, world.studio);
  await page.signIn('ruff@tarnhaven.example', 'grey-wagtail');
  return page;
}

async function rehearsed(page: Page, path: string, status: string, pin?: number | string): Promise<void> {
  await page.open(path);
  await page.waitText('[data-testid=outcome]', status);
  if (typeof pin === 'string')
    await page.driver.executeScript(`document.querySelector('.pin[data-at="${pin}"]').click()`);
  else if (pin !== undefined) await page.driver.executeScript(`document.querySelectorAll('.pin')[${pin}].click()`);
}

try {
  const page = await open();
  const field = (pointer: string) =>
    page.driver.executeScript(`document.querySelector('[data-side=right][data-pointer="${pointer}"]').click()`);
  await page.open('/backends/berths');
  await page.click('[role=option]', 'ReserveBerth');
  await page.shot(out('backend'));
  await page.open('/backends/berths/draft');
  await page.find('table');
  await page.shot(out('draft-review'));
  await page.open('/apis/tides');
  await page.click('[role=tab]', 'Doors');
  await page.find('table');
  await page.shot(out('api'));
  await page.open('/apis/harbour-graph');
  await page.click('[role=tab]', 'Query');
  await page.click('button', 'Run');
  await page.waitText('[data-testid=query-outcome]', '200');
  await page.driver.sleep(400);
  await page.shot(out('graph-query'));
  await page.open('/apis/towage');
  await page.click('button[aria-label="Shape orderTowage"]');
  await page.byText('.cases h2', 'What callers see');
  await page.shot(out('operation'));
  await page.open('/apis/berths');
  await page.click('button', 'Text');
  await page.byText('.text-panel .cm-content', 'openapi: 3.1.0');
  await page.click('button[aria-label="Shape GetBerth"]');
  await page.byText('.text-panel .cm-content', 'operationId: GetBerth');
  await page.driver.sleep(600);
  await page.shot(out('text'));
  await rehearsed(page, '/apis/towage/orderTowage', '201', '/2');
  await page.byText('.pin-line.lit', 'taken by this request');
  await page.shot(out('fold-choose'));
  await rehearsed(page, '/apis/towage/orderTowage', '201');
  await page.click('[data-testid=cases]');
  await page.click('.cases button', 'Run all 4');
  await page.waitText('.cases', 'passed 404');
  await page.shot(out('cases'));
  await rehearsed(page, '/apis/berths/ReserveBerth', '409');
  await page.find('.told');
  await page.shot(out('fold-fault'));
  await rehearsed(page, '/apis/berths/AmendReservation', '200', 2);
  await field('/body/reservation');
  await page.driver.executeScript(
    'document.querySelector(\'[data-side=right][data-pointer="/body/reservation"]\').scrollIntoView()',
  );
  await rehearsed(page, '/apis/berths/AmendReservation', '200', 0);
  await field('/body/stay');
  await page.driver.sleep(400);
  await page.shot(out('fold-map'));
  await rehearsed(page, '/apis/berths/GetBerth', '200', 1);
  await page.shot(out('fold-call'));
  await page.click('button', 'Release…');
  await page.click('[role=dialog] button', 'Release to sandbox');
  await page.byText('[role=dialog] .spruce', 'runs release 1');
  await page.shot(out('release'));
  const curl = await page.text('[data-testid=curl]');
  execFileSync('bash', ['-c', `${curl} -s`]);
  for (const path of [
    '/berths/v1/berths',
    '/berths/v1/berths/N-08',
    '/berths/v1/berths/Z-99',
    '/berths/v1/reservations',
    '/berths/v1/moorings/4',
    '/berths/v1/berths?minDepthMetres=deep',
  ])
    await fetch(world.gateway + path);
  await page.open('/traffic');
  await page.byText('td a', '/moorings/4');
  await page.click('td a', '/berths/v1/berths/N-08');
  await page.find('.pin');
  await page.click('.pin[data-at="/1"]');
  await page.shot(out('trace'));
  await page.open('/');
  await page.find('table');
  await page.shot(out('desk'));
  await rehearsed(page, '/apis/berths/FindBerths', '200', '/2');
  await field('/body/berth');
  await page.click('[aria-label="List that it is made of"]');
  await page.click('[role=listbox] [role=option]', 'body.berth');
  await page.byText('.items', 'grouped by');
  await page.driver.sleep(900);
  await page.shot(out('fold-items'));
  await page.waitText('[data-testid=draft-state]', ', saved', isSaved);
  await page.click('[data-testid=draft-state] a');
  await page.byText('.version', 'changed');
  await page.shot(out('versions'));
  await page.open('/apis/arrivals');
  await page.click('button', 'Release…');
  await page.click('[role=dialog] button', 'Release to sandbox');
  await page.byText('[role=dialog] .spruce', 'runs release');
  await page.open('/apis/arrivals');
  await page.click('[role=tab]', 'Topics');
  await page.click('.live button', 'Listen');
  await page.byText('.live [aria-live]', 'listening');
  for (const name of ['Grey Wagtail', 'Whimbrel'])
    await fetch(`${world.gateway}/arrivals/v1/reports`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ callNumber: 'TV-40213', vesselName: name, expectedAt: '2026-12-04T06:30:00Z' }),
    });
  await page.click('.live button', 'Publish');
  await page.byText('.live [role=status]', '202');
  await page.byText('.heard-row', 'TV-40213');
  await page.find('section[aria-label="Through this topic"] [role=img]');
  await page.driver.executeScript(
    `document.querySelector('section[aria-label="Through this topic"]').scrollIntoView({ block: 'end' })`,
  );
  await page.shot(out('topics'));
  await page.open('/apis/tides');
  await page.click('button', 'Release…');
  await page.click('[role=dialog] button', 'Release to sandbox');
  await page.byText('[role=dialog] .spruce', 'runs release');
  await page.open('/callers/dunlin');
  await page.click('button', 'Make it');
  await page.byText('.note', 'shown only now');
  const key = await page.text('.note code');
  await page.byText('[data-testid=callers-known]', 'the gateway knows');
  for (let n = 0; n < 27; n++)
    await fetch(`${world.gateway}/tides/agents/2026-12-04`, { headers: { 'x-api-key': key } });
  await page.driver.sleep(1000);
  await page.open('/callers');
  await page.byText('td', '27');
  await page.shot(out('callers'));
  const dark = await open(true);
  await rehearsed(dark, '/apis/port-calls/getPortCall', '200', '/0');
  await dark.byText('.pin-box', 'one after the other');
  await dark.driver.sleep(400);
  await dark.shot(out('fold-gather'));
} finally {
  for (const d of drivers) await d.quit();
  await world.stop();
}
