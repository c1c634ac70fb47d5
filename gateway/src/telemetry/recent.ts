import { GATEWAY_LIMITS } from '../limits';
import type { Trace } from './trace';

/** What a list of traces tells of each. */
export type TraceLine = Pick<
  Trace,
  'id' | 'traceId' | 'at' | 'api' | 'operation' | 'method' | 'url' | 'status' | 'ms'
> & { readonly error?: string };

/** The last traces of this gateway, as JSON texts: for whoever looks at its control port. */
export class RecentTraces {
  private texts: string[] = [];
  private size = 0;

  keep(texts: readonly string[]): void {
    for (const text of texts) {
      this.texts.push(text);
      this.size += text.length;
    }
    const { tracesKept, tracesKeptChars } = GATEWAY_LIMITS;
    let gone = 0;
    while (this.texts.length - gone > tracesKept || (this.size > tracesKeptChars && gone < this.texts.length))
      this.size -= this.texts[gone++]!.length;
    if (gone) this.texts.splice(0, gone);
  }

  /** The newest first. */
  list(): TraceLine[] {
    return this.texts
      .map((text) => JSON.parse(text) as Trace)
      .map(({ id, traceId, at, api, operation, method, url, status, ms, error }) => ({
        ...{ id, traceId, at, api, operation, method, url, status, ms },
        ...(error && { error: `${error.code} ${error.inner ?? error.message}` }),
      }))
      .reverse();
  }

  /** By its own id, or by that of the whole trace (W3C Trace Context). */
  find(id: string): string | undefined {
    return this.texts.findLast((text) => {
      const trace = JSON.parse(text) as Trace;
      return trace.id === id || trace.traceId === id;
    });
  }
}
