import { By, Key, type WebDriver } from 'selenium-webdriver';
import type { Page } from './browser';
import type { Hands } from './hands';

const MOST_TABS = 120;

/** The page by keys alone: nothing here clicks, and nothing sets the focus but Tab. */
export class Keyboard {
  constructor(
    private readonly driver: WebDriver,
    private readonly page: Page,
    private readonly hands: Hands,
  ) {}

  /** What has the focus, as a screen reader would call it; nothing where only the page has it. */
  focused(): Promise<string> {
    return this.driver.executeScript<string>(
      'const e = document.activeElement; return e === document.body ? "" : (e.getAttribute("aria-label") || e.labels?.[0]?.textContent || e.textContent || "").trim();',
    );
  }

  /** Tab, or Shift and Tab, until something has the focus whose name begins so, or is so. */
  async tabTo(name: string, back = false, exact = false): Promise<void> {
    const met: string[] = [];
    for (let i = 0; i < MOST_TABS; i++) {
      const now = await this.focused();
      if (exact ? now === name : now.startsWith(name)) return;
      met.push(now.slice(0, 30));
      const keys = this.driver.actions();
      await (back ? keys.keyDown(Key.SHIFT).sendKeys(Key.TAB).keyUp(Key.SHIFT) : keys.sendKeys(Key.TAB)).perform();
    }
    throw new Error(`${name} is not reached by Tab: ${met.slice(-40).join(' | ')}`);
  }

  /** A value of a select: it opens by Enter, is walked by arrows, and taken by Enter. */
  async choose(label: string, option: string, back = false): Promise<void> {
    await this.tabTo(label, back, true);
    await this.hands.keys(Key.ENTER);
    await this.page.byText('[role=option]', option);
    await this.page.waitFor(
      'the list to have the focus',
      async () => (await this.driver.executeScript('return document.activeElement.getAttribute("role")')) === 'option',
    );
    await this.hands.keys(Key.HOME);
    for (let i = 0; i < 30 && !(await this.focused()).startsWith(option); i++) await this.hands.keys(Key.ARROW_DOWN);
    const now = await this.focused();
    if (!now.startsWith(option)) throw new Error(`the list of ${label} ends at ${now}, without ${option}`);
    await this.hands.keys(Key.ENTER);
    await this.page.waitFor(
      'the list to be gone',
      async () => (await this.driver.findElements(By.css('[role=option]'))).length === 0,
    );
  }

  /** What stands in the field that has the focus gives way to this. */
  async replace(text: string): Promise<void> {
    await this.driver.actions().keyDown(Key.CONTROL).sendKeys('a').keyUp(Key.CONTROL).perform();
    await this.hands.keys(text);
  }
}
