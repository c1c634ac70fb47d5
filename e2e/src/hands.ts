import AxeBuilder from '@axe-core/webdriverjs';
import { By, Key, type WebDriver } from 'selenium-webdriver';
import type { Page } from './browser';

/** What the state of a draft says where all is saved; "saved by" stands there too, whatever the state. */
export const isSaved = (state: string): boolean => /draft \d+, saved\b/.test(state);

/** What a person does on the pages of the designer, and what they wait for. Made for each test file once the browser is there. */
export class Hands {
  constructor(
    private readonly driver: WebDriver,
    private readonly page: Page,
  ) {}

  /** Waits for a rehearsal of what stands in the draft now, with that outcome. */
  readonly outcome = (part: string) =>
    this.page.waitText('[data-testid=outcome]', part, (found) => !found.includes('rehearsing'));
  readonly saved = () => this.page.waitText('[data-testid=draft-state]', ', saved', isSaved);

  /** Types into the field that a label names. */
  readonly fill = async (label: string, text: string) => {
    let id: string | null = null;
    await this.page.waitFor(label, async () => {
      id = await this.driver.executeScript(
        'return [...document.querySelectorAll("label")].find((l) => l.textContent === arguments[0])?.htmlFor',
        label,
      );
      return id !== null;
    });
    await (await this.page.find(`[id="${id}"]`)).sendKeys(text);
  };

  readonly keys = async (...all: string[]) => {
    for (const one of all) await this.driver.actions().sendKeys(one).perform();
  };

  readonly pin = async (at: string) => {
    await this.page.find(`.pin[data-at="${at}"]`);
    await this.driver.executeScript('document.querySelector(arguments[0]).click()', `.pin[data-at="${at}"]`);
  };

  /** A value chosen in a select of the page, with the mouse. */
  readonly choose = async (label: string, option: string) => {
    const css = `[aria-label="${label}"]`;
    await this.page.waitFor(`the list of ${label} to open`, async () => {
      if (await this.count(`${css}[aria-expanded=true]`)) return true;
      // The page moved under the mouse, and the list of another field opened.
      if (await this.count('[role=listbox]')) await this.keys(Key.ESCAPE);
      const el = await this.page.find(css);
      await this.driver.executeScript('arguments[0].scrollIntoView({ block: "center" })', el);
      await el.click();
      return false;
    });
    await this.page.click('[role=listbox] [role=option]', option);
    // What fades has no contrast, for whoever judges colours next.
    await this.closed();
  };

  private readonly closed = () =>
    this.page.waitFor(
      'the list to close',
      async () => !(await this.driver.findElements(By.css('.MuiMenu-root'))).length,
    );

  /** The same with the keyboard alone: the list opens by Enter and goes to what is typed. It forgets letters between which half a second went by: then they are typed again. */
  readonly chooseByKeys = async (label: string, option: string) => {
    const el = await this.page.find(`[aria-label="${label}"]`);
    const shown = async () => (await el.getText()).trim() === option;
    for (let n = 0; n < 8 && !(await shown()); n++) {
      await el.sendKeys(Key.ENTER);
      await this.page.byText('[role=option]', option);
      await this.page.waitFor(
        'the list to have the focus',
        async () =>
          (await this.driver.executeScript('return document.activeElement.getAttribute("role")')) === 'option',
      );
      await this.keys(...option, Key.ENTER);
      await this.closed();
    }
    await this.page.waitFor(option, shown);
  };

  /** Puts text into an editor of code, in place of what stands there. */
  readonly write = async (css: string, text: string) => {
    const el = await this.page.find(css);
    await el.click();
    await this.driver.actions().keyDown(Key.CONTROL).sendKeys('a').keyUp(Key.CONTROL).perform();
    await this.keys(Key.DELETE);
    await this.driver.executeScript('document.execCommand("insertText", false, arguments[0])', text);
  };

  readonly release = async () => {
    await this.page.click('button', 'Release…');
    await this.page.click('[role=dialog] button', 'Release to sandbox');
    await this.page.byText('[role=dialog] .spruce', 'runs release');
    await this.keys(Key.ESCAPE);
    // While it fades, its fields are still there for whoever looks for those of the next dialog.
    await this.page.waitFor(
      'the dialog to close',
      async () => !(await this.driver.findElements(By.css('[role=dialog]'))).length,
    );
  };

  /** Closes what lies over the page by the keyboard, and waits until it has faded. A key is lost while a button that was pressed is at work. */
  readonly close = () =>
    this.page.waitFor('what lies over the page to close', async () => {
      if (!(await this.count('.MuiModal-root'))) return true;
      await this.keys(Key.ESCAPE);
      return false;
    });

  readonly count = async (css: string) => (await this.driver.findElements(By.css(css))).length;

  /** A call of the page's own script: with its session and its origin. */
  readonly fetchJson = <T>(method: string, url: string, body?: unknown) =>
    this.driver.executeAsyncScript<T>(
      'const [m, u, b, done] = arguments; fetch(u, { method: m, headers: { "content-type": "application/json" }, body: b === null ? undefined : b }).then((r) => r.json()).then(done, (e) => done({ message: String(e) }));',
      method,
      url,
      // As text: the driver would sort the members of an object.
      body === undefined ? null : JSON.stringify(body),
    );

  /** What axe finds serious or critical on the page by WCAG 2.2, A and AA. */
  readonly serious = async () =>
    (await new AxeBuilder(this.driver).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze()).violations
      .filter((v) => v.impact === 'serious' || v.impact === 'critical')
      .map(
        (v) =>
          `${v.id}: ${v.nodes
            .slice(0, 3)
            .map((n) => n.target.join(' '))
            .join(' | ')}`,
      );
}
