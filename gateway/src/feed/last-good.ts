import { randomUUID } from 'node:crypto';
import { mkdir, readFile, rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { GatewayConfig } from '../config';

/** The last configuration that ran, on disk: a gateway starts from it when the studio is away. */
export class LastGood {
  private readonly file: string;
  private writing: Promise<void> = Promise.resolve();

  constructor(private readonly dir: string) {
    this.file = join(dir, 'last-good.json');
  }

  async load(): Promise<GatewayConfig | undefined> {
    try {
      return JSON.parse(await readFile(this.file, 'utf8')) as GatewayConfig;
    } catch {
      return undefined;
    }
  }

  /** Written beside and renamed, so that a crash leaves the old or the new one, never half. One after the other. */
  save(config: GatewayConfig): Promise<void> {
    this.writing = this.writing.then(async () => {
      await mkdir(this.dir, { recursive: true });
      const beside = `${this.file}.${process.pid}`;
      await writeFile(beside, JSON.stringify(config), { mode: 0o600 });
      await rename(beside, this.file);
    });
    return this.writing;
  }
}

/** A name of this gateway that stays the same, kept beside its configuration. */
export async function identityIn(dir: string): Promise<string> {
  const file = join(dir, 'identity');
  const known = await readFile(file, 'utf8').catch(() => '');
  if (known.trim()) return known.trim();
  const made = randomUUID();
  await mkdir(dir, { recursive: true });
  await writeFile(file, `${made}\n`);
  return made;
}
