import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Builder, By, error, until, type WebDriver, type WebElement } from 'selenium-webdriver';
import chrome from 'selenium-webdriver/chrome';

process.env.SE_MANAGER_PATH = '/nonexistent';

/** Headless Chromium from Debian at exactly 1280x800, with nothing looked up on the network. */
export async function openBrowser(dark = false): Promise<WebDriver> {
  const options = new chrome.Options();
  options.setBinaryPath('/usr/bin/chromium');
  options.addArguments(
    '--headless=new',
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--hide-scrollbars',
    '--force-device-scale-factor=1',
    '--disable-dev-shm-usage',
    `--user-data-dir=${mkdtempSync(join(tmpdir(), 'hinge-browser-'))}`,
    '--window-size=1280,800',
  );
  const driver = await new Builder()
    .forBrowser('chrome')
    .setChromeOptions(options)
    .setChromeService(new chrome.ServiceBuilder('/usr/bin/chromedriver'))
    .build();
  const cdp = driver as unknown as { sendDevToolsCommand(name: string, params: object): Promise<void> };
  await cdp.sendDevToolsCommand('Emulation.setDeviceMetricsOverride', {
    width: 1280,
    height: 800,
    deviceScaleFactor: 1,
    mobile: false,
  });
  await cdp.sendDevToolsCommand('Emulation.setEmulatedMedia', {
    features: [
      { name: 'prefers-color-scheme', value: dark ? 'dark' : 'light' },
      { name: 'prefers-reduced-motion', value: 'reduce' },
    ],
  });
  return driver;
}

export const WAIT_MS = 30_000;

/** Notes whether the mouse goes down on that element. (Of a select there is no click: its list lies over it by then.) */
const WATCH_CLICK = `
  window.hitByClick = false;
  const [el] = arguments;
  document.addEventListener('mousedown', (e) => { window.hitByClick ||= el.contains(e.target); }, { capture: true, once: true });
`;

export class Page {
  constructor(
    readonly driver: WebDriver,
    readonly base: string,
  ) {}

  async open(path: string): Promise<void> {
    await this.driver.get(this.base + path);
  }

  find(css: string): Promise<WebElement> {
    return this.driver.wait(until.elementLocated(By.css(css)), WAIT_MS, `no ${css}`);
  }

  /** The first visible element of that kind whose text, trimmed, is or holds the given one. */
  async byText(css: string, text: string): Promise<WebElement> {
    return this.driver.wait(
      async () => {
        for (const el of await this.driver.findElements(By.css(css))) {
          try {
            if ((await el.isDisplayed()) && (await el.getText()).includes(text)) return el;
          } catch {
            // Drawn anew meanwhile.
          }
        }
        return null as unknown as WebElement;
      },
      WAIT_MS,
      `no ${css} with the text "${text}"`,
    );
  }

  async click(css: string, text?: string): Promise<void> {
    await this.driver.wait(
      async () => {
        const el = text === undefined ? await this.find(css) : await this.byText(css, text);
        try {
          if (!(await el.isEnabled())) return false;
          await this.driver.executeScript(WATCH_CLICK, el);
          await el.click();
          return await this.hit();
        } catch (failure) {
          // Drawn anew between finding and clicking: it is looked for again.
          if (failure instanceof error.StaleElementReferenceError) return false;
          if (!(failure instanceof error.ElementClickInterceptedError)) throw failure;
          // Something lies over it, or the page moved under the mouse.
          await this.driver
            .executeScript('arguments[0].scrollIntoView({ block: "center" })', el)
            .catch(() => undefined);
          return false;
        }
      },
      WAIT_MS * 2,
      `could not click ${css}${text === undefined ? '' : ` with the text "${text}"`}`,
    );
  }

  /** False where the page moved under the mouse in the last moment, and something else was clicked. */
  private async hit(): Promise<boolean> {
    // A page that was left keeps no word of it.
    return (await this.driver.executeScript<boolean | null>('return window.hitByClick ?? null')) ?? true;
  }

  async fill(css: string, text: string): Promise<void> {
    const el = await this.find(css);
    await el.clear();
    await el.sendKeys(text);
  }

  async text(css: string): Promise<string> {
    return (await this.find(css)).getText();
  }

  async waitFor(what: string, holds: () => Promise<boolean>, ms = WAIT_MS): Promise<void> {
    await this.driver.wait(() => holds().catch(() => false), ms, `never: ${what}`);
  }

  async waitText(css: string, part: string, holds = (_found: string): boolean => true): Promise<void> {
    let found = '';
    try {
      await this.waitFor(`"${part}" in ${css}`, async () => {
        found = await this.text(css);
        return found.includes(part) && holds(found);
      });
    } catch (e) {
      throw new Error(`${(e as Error).message}; found: ${JSON.stringify(found)}`);
    }
  }

  async signIn(email: string, password: string): Promise<void> {
    await this.open('/sign-in');
    await this.fill('input[name=email]', email);
    await this.fill('input[name=password]', password);
    await this.click('button[type=submit]');
    await this.waitFor('the desk', async () => new URL(await this.driver.getCurrentUrl()).pathname === '/');
  }

  async shot(file: string): Promise<void> {
    await this.driver.sleep(250);
    writeFileSync(file, Buffer.from(await this.driver.takeScreenshot(), 'base64'));
  }
}
