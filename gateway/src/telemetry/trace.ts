import {
  LIMITS,
  maskQuery,
  showError,
  showMessage,
  showSteps,
  type CompiledOperation,
  type Message,
  type Refusal,
  type SecretPlaces,
  type ShownError,
  type ShownMessage,
  type ShownStep,
  type StepSeen,
  writeJson,
} from '@hinge/core';
import { GATEWAY_LIMITS } from '../limits';

/** One request as it is kept: identifiers, messages, times. Secrets are masked before it leaves the gateway. */
export interface Trace {
  readonly id: string;
  readonly traceId: string;
  /** ISO 8601. */
  readonly at: string;
  readonly api?: string;
  readonly release?: number;
  readonly environment?: string;
  /** Id of the app that called, where a guard found out, and the name of its plan. */
  readonly app?: string;
  readonly plan?: string;
  readonly door?: string;
  readonly operation?: string;
  readonly method: string;
  readonly url: string;
  readonly status: number;
  readonly ms: number;
  readonly backendMs: number;
  readonly request: ShownMessage;
  readonly reply: ShownMessage;
  readonly steps: readonly ShownStep[];
  readonly error?: ShownError;
  /** For a 404: what there is. Designers only. */
  readonly offered?: readonly string[];
}

export type TraceHead = Omit<Trace, 'request' | 'reply' | 'steps' | 'error' | 'at'> & {
  /** Milliseconds since 1970. */
  readonly at: number;
};

export interface TraceParts {
  readonly head: TraceHead;
  readonly request: Message;
  readonly reply: Message;
  readonly seen: readonly StepSeen[];
  readonly operation?: Pick<CompiledOperation, 'document'>;
  readonly startedMs: number;
  readonly refusal?: Refusal;
  /** What of the request is not for other eyes. */
  readonly secrets?: SecretPlaces;
}

/** So many requests are made into text together: one at a time costs twice as much, since nothing of it is in the processor's caches by then. */
const TOGETHER = 16;
/** A reply of so many bytes does not wait for others: sixteen large ones would be held for nothing. */
const HEAVY = 64 * 1024;

/**
 * Collects traces and hands them on in batches, each as its JSON text. Made into text soon after the reply is out: what a request is made of would
 * outlive it otherwise, which costs the collector of garbage more than the text does.
 */
export class TraceCollector {
  private fresh: TraceParts[] = [];
  private waiting: string[] = [];
  private size = 0;
  private timer: NodeJS.Timeout | undefined;
  dropped = 0;

  /** `mostASecond`: where nobody says a share. */
  constructor(
    private readonly deliver: ((traces: readonly string[]) => Promise<void>) | undefined,
    private readonly mostASecond?: number,
  ) {}

  get wanted(): boolean {
    return this.deliver !== undefined;
  }

  private second = 0;
  private inSecond = 0;

  /** Whether this request is one of those that are traced whole: a share of all, or so many in a second. */
  takes(share: number | undefined): boolean {
    if (!this.deliver) return false;
    if (this.mostASecond === undefined) return Math.random() < (share ?? 1);
    const now = Math.floor(Date.now() / 1000);
    if (now !== this.second) {
      this.second = now;
      this.inSecond = 0;
    }
    return this.inSecond < this.mostASecond && this.inSecond++ < this.mostASecond;
  }

  add(parts: TraceParts): void {
    if (!this.deliver) return;
    if (this.fresh.push(parts) === TOGETHER || isHeavy(parts)) setImmediate(this.write);
    this.timer ??= setTimeout(() => void this.flush(), GATEWAY_LIMITS.tracesEveryMs).unref();
  }

  private readonly write = (): void => {
    const { fresh } = this;
    this.fresh = [];
    for (const parts of fresh) {
      try {
        const text = textOf(toTrace(parts));
        this.size += text.length;
        this.waiting.push(text);
      } catch {
        // Nothing in a message may bring the gateway down.
        this.dropped++;
      }
    }
    const { tracesWaiting, tracesWaitingChars } = GATEWAY_LIMITS;
    let gone = 0;
    while (this.waiting.length - gone > tracesWaiting || this.size > tracesWaitingChars)
      this.size -= this.waiting[gone++]!.length;
    if (gone) this.waiting.splice(0, gone);
    this.dropped += gone;
  };

  async flush(): Promise<void> {
    clearTimeout(this.timer);
    this.timer = undefined;
    this.write();
    const batch = this.waiting;
    this.waiting = [];
    this.size = 0;
    if (!batch.length || !this.deliver) return;
    try {
      await this.deliver(batch);
    } catch {
      // The studio is away: traces are the one thing that may be lost.
      this.dropped += batch.length;
    }
  }
}

function isHeavy({ request, reply }: TraceParts): boolean {
  const { body } = reply;
  const size = body.pending || body.isEmpty ? 0 : body.hasText ? body.text().length : body.bytes().length;
  return size > HEAVY || Number(request.headers['content-length'] ?? 0) > HEAVY;
}

/** Numbers of many digits stand, if anywhere, in what steps note; all else may be written by the quicker writer. */
const textOf = (trace: Trace): string =>
  trace.steps.every((s) => isFlat(s.notes)) ? JSON.stringify(trace) : writeJson(trace);

function isFlat(notes: Readonly<Record<string, unknown>> | undefined): boolean {
  for (const name in notes) if (typeof notes[name] === 'object') return false;
  return true;
}

export function toTrace(p: TraceParts): Trace {
  const { head } = p;
  // Written out, as it is for each request that is traced: copying one object into another costs many times more.
  return {
    id: head.id,
    traceId: head.traceId,
    at: new Date(head.at).toISOString(),
    api: head.api,
    release: head.release,
    environment: head.environment,
    app: head.app,
    plan: head.plan,
    door: head.door,
    operation: head.operation,
    method: head.method,
    url: p.secrets ? maskQuery(head.url, p.secrets.query) : head.url,
    status: head.status,
    ms: head.ms,
    backendMs: head.backendMs,
    request: showMessage(p.request, p.secrets, LIMITS.shownBytes, true),
    reply: showMessage(p.reply, undefined, LIMITS.shownBytes, true),
    steps: p.operation ? showSteps(p.seen, p.operation, p.startedMs, LIMITS.shownBytes, true) : [],
    error: p.refusal && showError(p.refusal),
    offered: head.offered,
  };
}
