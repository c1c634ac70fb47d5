import { refWith, shaperOf, topicRef, type KeptSubscription, type Webhooks } from '@hinge/core';
import { mkdir, readFile, rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Running } from './background';

/** Subscriptions of webhooks on disk, beside the last good configuration: a gateway that starts again goes on calling. */
export class KeptSubscriptions {
  private readonly file: string | undefined;
  private waiting: readonly KeptSubscription[] = [];
  private own: readonly KeptSubscription[] = [];
  private writing: Promise<void> = Promise.resolve();
  private due = false;

  constructor(
    private readonly dir: string | undefined,
    private readonly log: (words: string) => void,
  ) {
    this.file = dir === undefined ? undefined : join(dir, 'subscriptions.json');
  }

  async load(): Promise<void> {
    if (!this.file) return;
    const text = await readFile(this.file, 'utf8').catch(() => '[]');
    try {
      this.waiting = JSON.parse(text) as KeptSubscription[];
    } catch {
      this.log('what was subscribed before cannot be read, and is forgotten');
    }
  }

  /** Goes on with those whose API runs now; the others wait for theirs. */
  restore(webhooks: Webhooks, server: Running): void {
    const ready = this.waiting.filter((k) => server.loaded.some((a) => a.config.slug === k.api));
    if (!ready.length) return;
    this.waiting = this.waiting.filter((k) => !ready.includes(k));
    const { environment, variables } = server.current;
    webhooks.restore(ready, (k) => {
      const document = server.loaded.find((a) => a.config.slug === k.api)!.config.document;
      const topic = document.topics?.[k.topic];
      const ref = topicRef(document, k.topic, environment);
      if (!topic || typeof ref === 'string') return undefined;
      const context = { ...k.context, env: variables ?? {} };
      return { topic: refWith(ref, k.values ?? {}), context, shape: shaperOf(topic)(context) };
    });
  }

  /** Resolves when it is on disk, or could not be written, which is told. */
  readonly save = (all: readonly KeptSubscription[]): Promise<void> => {
    const { dir, file } = this;
    this.own = all;
    if (!file || dir === undefined || this.due) return this.writing;
    this.due = true;
    this.writing = this.writing
      .then(async () => {
        this.due = false;
        await mkdir(dir, { recursive: true });
        const text = JSON.stringify(
          [...this.waiting, ...this.own].map((k) => ({ ...k, context: { ...k.context, env: {} } })),
        );
        await writeFile(`${file}.${process.pid}`, text, { mode: 0o600 });
        await rename(`${file}.${process.pid}`, file);
      })
      .catch((error: Error) => this.log(`what is subscribed cannot be kept: ${error.message}`));
    return this.writing;
  };

  async close(): Promise<void> {
    await this.writing;
  }
}
