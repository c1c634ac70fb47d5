import { afterAll, beforeAll, expect } from '@jest/globals';
import type { WebDriver } from 'selenium-webdriver';
import { openBrowser, Page } from './browser';
import { Hands } from './hands';
import { startWorld, type World } from './world';

export interface Suite {
  readonly world: World;
  readonly driver: WebDriver;
  readonly page: Page;
  readonly hands: Hands;
}

/** A product of its own and a browser before the suite's tests, both ended behind them; a designer is signed in. */
export function inBrowser(args: readonly string[], use: (s: Suite) => void, signIn = true): void {
  let open: Suite | undefined;
  beforeAll(async () => {
    const world = await startWorld(args);
    const driver = await openBrowser();
    const page = new Page(driver, world.studio);
    open = { world, driver, page, hands: new Hands(driver, page) };
    use(open);
    if (signIn) await page.signIn('ruff@tarnhaven.example', 'grey-wagtail');
  }, 420_000);
  afterAll(async () => {
    await open?.driver.quit();
    if (open) expect(await open.world.stop()).toBe(0);
  }, 60_000);
}
