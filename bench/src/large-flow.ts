import type { FlowDocument } from '@hinge/core';
import { openBrowser, Page } from '../../e2e/src/browser';
import { startWorld } from '../../e2e/src/world';

/** `npm run bench:large`: a flow of 200 steps with a message of 1 MiB: milliseconds from a key press in an expression to the next paint, in the real browser. */
const STEPS = 200;
const items = Array.from({ length: 11_000 }, (_, i) => ({
  number: `N-${i}`,
  quay: 'North quay of the harbour',
  metres: i / 10,
  services: ['water', 'power'],
}));
const document: FlowDocument = {
  hinge: 1,
  api: { name: 'Large', version: '1' },
  doors: [{ name: 'public', path: '/large' }],
  operations: {
    big: {
      method: 'POST',
      path: '/big',
      request: { mediaType: 'application/json' },
      reply: { status: 200, mediaType: 'application/json' },
      flow: [
        ...Array.from({ length: STEPS - 1 }, (_, i) => ({
          kind: 'set' as const,
          name: `step ${i}`,
          values: { [`v${i}`]: `$count(body.items) + ${i}` },
        })),
        { kind: 'reply', mediaType: 'application/json', from: '{"count": $count(body.items), "items": body.items}' },
      ],
    },
  },
  cases: [{ name: 'one MiB', operation: 'big', request: { body: { items } } }],
};
const bytes = JSON.stringify(document.cases![0]!.request.body).length;

const world = await startWorld([]);
const driver = await openBrowser();
try {
  const page = new Page(driver, world.studio);
  await page.signIn('ruff@tarnhaven.example', 'grey-wagtail');
  await driver.executeAsyncScript(
    'const [body, done] = arguments; fetch("/api/apis/scratch", { method: "POST", headers: { "content-type": "application/json" }, body }).then(done)',
    JSON.stringify({ slug: 'large', document }),
  );
  await page.open('/apis/large/big');
  await page.driver.wait(async () => (await page.text('[data-testid=outcome]')).includes('200'), 60_000);
  await driver.executeScript('document.querySelector(\'.pin[data-at="/100"]\').click()');
  await page.click('.pin-card .cm-content');
  const times: number[] = [];
  for (let i = 0; i < 30; i++) {
    const ms = await driver.executeAsyncScript<number>(
      `const done = arguments[0];
       document.querySelector('.pin-card .cm-content').focus();
       const started = performance.now();
       document.execCommand('insertText', false, '1');
       requestAnimationFrame(() => { const c = new MessageChannel(); c.port1.onmessage = () => done(performance.now() - started); c.port2.postMessage(0); });`,
    );
    times.push(ms);
    await driver.sleep(60);
  }
  times.sort((a, b) => a - b);
  const at = (q: number) => Math.round(times[Math.min(times.length - 1, Math.floor(q * times.length))]!);
  console.log(
    `${STEPS} steps, a message of ${(bytes / 1048576).toFixed(2)} MiB: key press to paint, ms: middle ${at(0.5)}, 90 % ${at(0.9)}, most ${at(1)} (30 keys)`,
  );
} finally {
  await driver.quit();
  await world.stop();
}
