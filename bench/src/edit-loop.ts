import { openBrowser, Page } from '../../e2e/src/browser';
import { startWorld } from '../../e2e/src/world';

/** `npm run bench:edit`: milliseconds from a key press in an expression to the new value on the screen, in the real browser. */
const world = await startWorld([]);
const driver = await openBrowser();
try {
  const page = new Page(driver, world.studio);
  await page.signIn('ruff@tarnhaven.example', 'grey-wagtail');
  await page.open('/apis/berths/GetBerth');
  await page.waitText('[data-testid=outcome]', '200');
  await driver.executeScript("document.querySelectorAll('.pin')[2].click()");
  await driver.executeScript('document.querySelector(\'[data-side=right][data-pointer="/body/berth"]\').click()');
  await page.click('.pin-card .cm-content');
  const times: number[] = [];
  for (let i = 0; i < 12; i++) {
    const wanted = `q${i}`;
    const text = `{"number": body.berth.number, "quay": "${wanted}"}`;
    const ms = await driver.executeAsyncScript<number>(
      `const [text, wanted, done] = arguments;
       const content = document.querySelector('.pin-card .cm-content');
       const row = () => document.querySelector('.leaf.right [data-pointer="/body/berth/quay"] .value')?.textContent;
       content.focus();
       document.execCommand('selectAll');
       const started = performance.now();
       document.execCommand('insertText', false, text);
       const look = () => (row() === wanted ? done(performance.now() - started) : performance.now() - started > 5000 ? done(-1) : requestAnimationFrame(look));
       look();`,
      text,
      wanted,
    );
    times.push(Math.round(ms));
    await driver.sleep(1200);
  }
  times.sort((a, b) => a - b);
  console.log(
    `key press to new message on the screen, ms: least ${times[0]}, middle ${times[6]}, most ${times[11]} (12 changes; 180 ms of it are the pause that the studio waits for)`,
  );
} finally {
  await driver.quit();
  await world.stop();
}
