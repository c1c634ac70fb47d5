import { afterEach, describe, expect, test } from '@jest/globals';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Watched } from '../src/up/watched';

const folder = mkdtempSync(join(tmpdir(), 'hinge-watched-'));
const pids = join(folder, 'pids');
const script = (name: string, text: string): string => {
  const file = join(folder, name);
  writeFileSync(file, text);
  return file;
};
/** Writes its process id and stays. */
const STAYS = script(
  'stays.mjs',
  `import { appendFileSync } from 'node:fs'; appendFileSync(${JSON.stringify(pids)}, process.pid + '\\n'); setInterval(() => {}, 1000);`,
);
const ENDS = script('ends.mjs', 'process.exit(3)');

const until = async (what: () => boolean, ms = 10_000): Promise<void> => {
  const end = Date.now() + ms;
  while (!what()) {
    if (Date.now() > end) throw new Error('it did not happen in time');
    await new Promise((r) => setTimeout(r, 20));
  }
};
const started = (): number[] => {
  try {
    return readFileSync(pids, 'utf8').trim().split('\n').map(Number);
  } catch {
    return [];
  }
};

let watched: Watched | undefined;
let said: string[] = [];
let failed: string[] = [];
const make = (): Watched => {
  said = [];
  failed = [];
  writeFileSync(pids, '');
  return (watched = new Watched(
    folder,
    folder,
    (t) => said.push(t),
    (t) => failed.push(t),
  ));
};
const postgres = (alive: () => boolean, again: () => boolean) => ({
  port: 1,
  url: () => '',
  alive,
  again,
  stop: () => undefined,
});
afterEach(() => watched?.stop());

describe('what was started is seen to', () => {
  test('before all is ready, one that ends fails the start and names its log', async () => {
    make().start('studio', [ENDS]);
    await until(() => failed.length > 0);
    expect(failed[0]).toBe(`the studio ended (3); its log is ${join(folder, 'studio.log')}`);
  });

  test('afterwards one that dies is started again; the other is not touched', async () => {
    const w = make();
    w.start('gateway', [STAYS]);
    await until(() => started().length === 1 && started()[0]! > 0);
    w.start('studio', [STAYS]);
    await until(() => started().length === 2);
    w.ready(
      postgres(
        () => true,
        () => true,
      ),
    );
    const [gateway, studio] = started();
    process.kill(studio!, 'SIGKILL');
    await until(() => started().length === 3);
    expect(said[0]).toBe(
      `the studio ended (by a signal); its log is ${join(folder, 'studio.log')}. It is started again`,
    );
    expect(() => process.kill(gateway!, 0)).not.toThrow();
    expect(failed).toEqual([]);
    expect(JSON.parse(readFileSync(w.file, 'utf8'))).toEqual([
      { at: expect.any(String), words: 'The studio ended (by a signal) and was started again; its log is studio.log' },
    ]);
    const again = started()[2]!;
    await w.stop();
    expect(() => process.kill(again, 0)).toThrow();
  });

  test('one that never comes up is left alone in the end', async () => {
    const w = make();
    w.ready(
      postgres(
        () => true,
        () => true,
      ),
    );
    w.start('studio', [ENDS]);
    await until(() => said.some((t) => /left alone/.test(t)), 20_000);
    expect(failed).toEqual([]);
  }, 30_000);

  test('PostgreSQL too', async () => {
    let alive = true;
    make().ready(
      postgres(
        () => alive,
        () => (alive = true),
      ),
    );
    alive = false;
    await until(() => alive);
    expect(said).toEqual(['PostgreSQL has ended; starting it again …', 'PostgreSQL runs again']);
  });
});
