import {
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

export interface TraceParts {
  readonly head: Omit<Trace, 'request' | 'reply' | 'steps' | 'error'>;
  readonly request: Message;
  readonly reply: Message;
  readonly seen: readonly StepSeen[];
  readonly operation?: Pick<CompiledOperation, 'document'>;
  readonly startedMs: number;
  readonly refusal?: Refusal;
  /** What of the request is not for other eyes. */
  readonly secrets?: SecretPlaces;
}

/** Collects traces and hands them on in batches. Turning messages into text waits until the reply is out. */
export class TraceCollector {
  private waiting: TraceParts[] = [];
  private timer: NodeJS.Timeout | undefined;
  dropped = 0;

  constructor(private readonly deliver: ((traces: Trace[]) => Promise<void>) | undefined) {}

  get wanted(): boolean {
    return this.deliver !== undefined;
  }

  add(parts: TraceParts): void {
    if (!this.deliver) return;
    if (this.waiting.length >= GATEWAY_LIMITS.tracesWaiting) {
      this.waiting.shift();
      this.dropped++;
    }
    this.waiting.push(parts);
    this.timer ??= setTimeout(() => void this.flush(), GATEWAY_LIMITS.tracesEveryMs).unref();
  }

  async flush(): Promise<void> {
    clearTimeout(this.timer);
    this.timer = undefined;
    const batch = this.waiting;
    this.waiting = [];
    if (!batch.length || !this.deliver) return;
    try {
      await this.deliver(batch.map(toTrace));
    } catch {
      // The studio is away: traces are the one thing that may be lost.
      this.dropped += batch.length;
    }
  }
}

export function toTrace(p: TraceParts): Trace {
  return {
    ...p.head,
    ...(p.secrets && { url: maskQuery(p.head.url, p.secrets.query) }),
    request: showMessage(p.request, p.secrets),
    reply: showMessage(p.reply),
    steps: p.operation ? showSteps(p.seen, p.operation, p.startedMs) : [],
    ...(p.refusal && { error: showError(p.refusal) }),
  };
}
