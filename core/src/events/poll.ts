import { isoNow } from '../iso';
import { writeJson } from '../codec/json';
import type { Names } from '../expression/operators';
import { Body } from '../message/body';
import { runnable } from '../steps/expression';
import { BACKGROUND_LIMITS, type PollDocument } from './background';
import type { TopicEvent } from './event';

/** What a poll has seen: versions by key. */
export type Seen = Map<string, string>;

export interface PollChange {
  readonly key: string;
  readonly version: string;
  readonly kind: 'new' | 'changed';
  readonly value: unknown;
  /** For the parameters of the topic. */
  readonly given: Readonly<Record<string, unknown>>;
}

/** Compares what a poll found with what it had seen. The first look only remembers, unless the document says otherwise. */
export function pollerOf(
  document: PollDocument,
): (body: unknown, seen: Seen | undefined) => Promise<{ changes: PollChange[]; seen: Seen }> {
  const made = (source: string | undefined) => (source === undefined ? undefined : runnable(source));
  const [items, key, version] = [made(document.items), made(document.key), made(document.version)];
  const given = Object.entries(document.parameters ?? {}).map(([n, source]) => [n, runnable(source)] as const);
  return async (body, before) => {
    const found: unknown = items ? await items.evaluate(new BodyNames(body)) : body;
    const list = Array.isArray(found) ? (found as unknown[]) : found === undefined || found === null ? [] : [found];
    const seen: Seen = new Map();
    const changes: PollChange[] = [];
    for (const [n, value] of list.slice(0, BACKGROUND_LIMITS.things).entries()) {
      const names = new BodyNames(value);
      const own = key ? textOf(await key.evaluate(names)) : String(n);
      const state = version ? textOf(await version.evaluate(names)) : writeJson(value ?? null);
      // Long states are told apart by their digest: every thing is kept.
      const short = state.length <= 64 ? state : await digest(state);
      const had = before?.get(own);
      seen.set(own, short);
      if (had === short || (!before && document.first !== 'all')) continue;
      const values: Record<string, unknown> = {};
      for (const [name, e] of given) values[name] = await e.evaluate(names);
      changes.push({ key: own, version: short, kind: had === undefined ? 'new' : 'changed', value, given: values });
    }
    return { changes, seen };
  };
}

/** An event for a change. Its id is made of what changed: two gateways that see the same say the same. */
export async function changeEvent(
  source: string,
  topic: string,
  poll: string,
  change: PollChange,
): Promise<TopicEvent> {
  return {
    id: (await digest(writeJson([source, poll, change.key, change.version]))).slice(0, 32),
    source,
    type: `${topic}.${change.kind}`,
    subject: change.key.slice(0, 200),
    time: isoNow(),
    data: Body.ofText(writeJson(change.value ?? null), 'application/json'),
  };
}

const textOf = (v: unknown): string => (typeof v === 'string' ? v : writeJson(v ?? null));

async function digest(text: string): Promise<string> {
  const bytes = new Uint8Array(await crypto.subtle.digest('SHA-256', new TextEncoder().encode(text)));
  return [...bytes].map((b) => b.toString(16).padStart(2, '0')).join('');
}

/** `body` is the reply, then one thing of it; its members are names too. */
class BodyNames implements Names {
  readonly isNames = true;
  readonly names;

  constructor(private readonly body: unknown) {
    const own = body !== null && typeof body === 'object' && !Array.isArray(body) ? Object.keys(body) : [];
    this.names = ['body', ...own];
  }

  read(name: string): unknown {
    if (name === 'body') return this.body;
    const { body } = this;
    return body !== null && typeof body === 'object' && Object.hasOwn(body, name)
      ? (body as Record<string, unknown>)[name]
      : undefined;
  }
}
