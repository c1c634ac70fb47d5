import type { BackendReply } from '../../flow/ports';
import type { Run } from '../../flow/run';
import { NotModified } from '../../flow/validators';
import type { Body } from '../../message/body';
import type { Headers } from '../../message/headers';
import { isHttpUrl } from '../../message/url';
import { BackendUrlError } from '../../message/backend-url';
import { Refusal } from '../../problem';
import { compileCondition, conditionWords } from '../condition';
import { loadForReading } from '../expression';
import type { BackendContext } from '../kind';
import { compileTemplate } from '../template';
import { breakerFor, type Breaker } from './breaker';
import type { CallDocument } from './schema';
import { addressOf, send } from './send';

export interface Outgoing {
  readonly method: string;
  readonly headers: Headers;
  readonly body: Body;
  readonly timeoutMs: number;
  readonly operation?: string;
  /** The whole URL under the address that was chosen. */
  url(address: string): string;
}

export type Caller = (run: Run, request: Outgoing) => Promise<BackendReply>;

const IDEMPOTENT = new Set(['GET', 'HEAD', 'PUT', 'DELETE', 'OPTIONS', 'TRACE']);
const RETRY_ON: readonly string[] = ['unreachable', 'timeout', '502', '503', '504'];
const LONGEST_WAIT_MS = 10_000;

/** How a call step reaches its backend: which address, how often, and when it is left alone. */
export function compileCaller(step: CallDocument, backend: BackendContext): Caller {
  const route = compileRoutes(step, backend);
  const { retry } = step;
  const breaker = step.breaker && breakerFor(step.breaker);
  if (!route && !retry && !breaker)
    return (run, request) => {
      const address = addressOf(backend, run);
      return send(run, backend, request, { address, url: urlAt(request, address) });
    };
  const on = retry?.on ?? RETRY_ON;
  return async (run, request) => {
    const chosen = route ? await route(run) : { address: addressOf(backend, run), notes: {} };
    const target = { address: chosen.address, url: urlAt(request, chosen.address) };
    const times = retry && (retry.unsafe || IDEMPOTENT.has(request.method)) ? retry.times : 0;
    if (times > 0) await request.body.load();
    const tries: string[] = [];
    for (let n = 0; ; n++) {
      breaker?.demand(chosen.address, run.ports.clock.now(), backend.name);
      let why: string;
      try {
        const reply = await send(run, backend, request, target);
        note(run, chosen.notes, tries, breaker, chosen.address);
        why = String(reply.status);
        const failed = fits(on, why);
        breaker?.tell(chosen.address, run.ports.clock.now(), reply.status < 500);
        if (!failed || n >= times) return reply;
        // The answer is given up; its connection is not.
        await reply.body.load().catch(() => undefined);
        await pause(waitOf(retry!.waitMs ?? 100, n, reply.headers['retry-after']));
      } catch (error) {
        if (error instanceof NotModified) breaker?.tell(chosen.address, run.ports.clock.now(), true);
        const kind = error instanceof Refusal ? FAILED[error.code] : undefined;
        note(run, chosen.notes, tries, breaker, chosen.address);
        if (kind) breaker?.tell(chosen.address, run.ports.clock.now(), false);
        if (!kind || !fits(on, kind) || n >= times) throw error;
        why = kind;
        await pause(waitOf(retry!.waitMs ?? 100, n, undefined));
      }
      tries.push(why);
    }
  };
}

/** The URL of a request under an address. What a value did to it is told to the caller who sent the value. */
function urlAt(request: Outgoing, address: string): string {
  try {
    return request.url(address);
  } catch (error) {
    if (error instanceof BackendUrlError) throw new Refusal('HNG-427', { detail: error.message, cause: error });
    throw error;
  }
}

const FAILED: Readonly<Record<string, string>> = {
  'HNG-502': 'unreachable',
  'HNG-503': 'timeout',
  'HNG-504': 'unreadable',
};

const fits = (on: readonly string[], why: string): boolean =>
  on.includes(why) || (/^\d/.test(why) && on.includes(`${why[0]}XX`));

/** Doubles with each try, with a quarter of chance so that callers do not come back together; Retry-After in seconds counts when it is longer. */
function waitOf(waitMs: number, n: number, retryAfter: string | undefined): number {
  const own = waitMs * 2 ** n * (0.875 + Math.random() * 0.25);
  const asked = retryAfter !== undefined && /^\d+$/.test(retryAfter) ? Number(retryAfter) * 1000 : 0;
  return Math.min(Math.max(own, asked), LONGEST_WAIT_MS);
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

function note(
  run: Run,
  notes: Readonly<Record<string, unknown>>,
  tries: readonly string[],
  breaker: Breaker | undefined,
  address: string,
): void {
  run.notes = {
    ...run.notes,
    ...notes,
    ...(tries.length && { tries: tries.length + 1, failed: [...tries] }),
    ...(breaker && { breaker: breaker.state(address, run.ports.clock.now()) }),
  };
}

interface Chosen {
  readonly address: string;
  readonly notes: Readonly<Record<string, unknown>>;
}

function compileRoutes(step: CallDocument, backend: BackendContext): ((run: Run) => Promise<Chosen>) | undefined {
  if (!step.routes?.length) return undefined;
  const rows = step.routes.map((r, i) => ({
    index: i,
    name: r.name ?? (r.when === undefined ? 'default' : conditionWords(r.when)),
    when: r.when === undefined ? undefined : compileCondition(r.when),
    address: r.address === undefined ? undefined : compileTemplate(r.address, 'address'),
    shares: r.shares && new Shares(r.shares),
  }));
  const needsBody = rows.some((r) => r.when?.readsBody || r.address?.readsBody);
  return async (run) => {
    await loadForReading(run, needsBody);
    for (const row of rows) {
      if (row.when && !(await row.when.holds(run))) continue;
      const share = row.shares?.next();
      const address = share ?? (row.address ? await row.address.render(run) : addressOf(backend, run));
      if (!isHttpUrl(address))
        throw new Refusal('HNG-501', {
          backend: backend.name,
          detail: `${backend.name} has no address for this request.`,
          inner: `row ${row.index + 1} (${row.name}) gives "${address}", which is no http or https address`,
        });
      return {
        address,
        notes: { route: row.index, routeName: row.name, ...(row.shares && { shares: row.shares.counts() }) },
      };
    }
    return { address: addressOf(backend, run), notes: { routeName: 'none held: the address of the backend' } };
  };
}

/** Smooth weighted turns: of every N calls each address gets exactly its share, spread as evenly as weights allow. */
export class Shares {
  private readonly rows: { readonly address: string; readonly weight: number; current: number; count: number }[];
  private readonly total: number;

  constructor(shares: readonly { readonly address: string; readonly weight: number }[]) {
    this.rows = shares.map((s) => ({ ...s, current: 0, count: 0 }));
    this.total = shares.reduce((sum, s) => sum + s.weight, 0);
  }

  next(): string | undefined {
    let best: (typeof this.rows)[number] | undefined;
    for (const r of this.rows) {
      if (r.weight === 0) continue;
      r.current += r.weight;
      if (!best || r.current > best.current) best = r;
    }
    if (!best) return undefined;
    best.current -= this.total;
    best.count++;
    return best.address;
  }

  counts(): Record<string, number> {
    return Object.fromEntries(this.rows.map((r) => [r.address, r.count]));
  }
}
