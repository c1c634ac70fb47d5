import { writeJson } from '../../codec/json';
import type { Remembered } from '../../flow/ports';
import { runSeries, type CompiledStep, type Run } from '../../flow/run';
import { isNumber } from '../../message/digits';
import type { Message } from '../../message/message';
import { finding } from '../../problem';
import { checkCondition, compileCondition } from '../condition';
import { checkExpression, loadForReading, readsBody, runnable } from '../expression';
import type { StepKind } from '../kind';
import type { RememberDocument } from './schema';

const CACHE = 'hinge';

/**
 * Keeps the message that the steps inside make. Says so by Cache-Status (RFC 9211 §2) and Age (RFC 9111 §5.1). Many callers
 * that miss the same key wait for one of them.
 */
export const rememberKind: StepKind<RememberDocument> = {
  kind: 'remember',
  words: 'keep the result of the steps inside for a while',
  label: (step) => (typeof step.seconds === 'number' ? `${step.seconds} s` : step.seconds),

  parts: (step) => [{ pointer: '/flow', name: 'remember', flow: step.flow }],

  compile(step, context) {
    const steps = context.series(step.flow, '/flow');
    const seconds = typeof step.seconds === 'number' ? undefined : runnable(step.seconds);
    const key = step.key?.map(runnable);
    const notIf = step.notIf === undefined ? undefined : compileCondition(step.notIf);
    const needsBody = [...(key ?? []), ...(seconds ? [seconds] : [])].some(readsBody);
    const place = `${context.document.api.name} ${context.document.api.version} ${context.operationId}${context.at}`;
    const flights = new Map<string, Promise<Remembered | undefined>>();
    return async (run) => {
      await loadForReading(run, needsBody);
      const life = seconds ? secondsOf(await seconds.evaluate(run.scope)) : (step.seconds as number);
      const { store } = run.ports;
      if (!(life > 0) || !store) {
        tell(run, 'fwd=bypass', { life });
        await runSeries(steps, run);
        return;
      }
      const parts = key
        ? await Promise.all(key.map((e) => e.evaluate(run.scope)))
        : [run.request.method, run.request.path, run.request.query, run.request.rest];
      const owner = step.shared ? '' : (run.identity?.app?.id ?? '');
      const id = writeJson([place, run.environment ?? '', owner, ...parts.map((p) => (p === undefined ? null : p))]);
      const found = await store.get(id);
      if (found) {
        recall(run, found, life);
        return;
      }
      const flying = flights.get(id);
      if (flying) {
        const landed = await flying.catch(() => undefined);
        if (landed) {
          recall(run, landed, life, '; collapsed');
          return;
        }
      }
      const flight = fetchAndKeep(run, steps, notIf, life, (kept) => store.set(id, kept, life));
      if (!flying) {
        flights.set(id, flight);
        const forget = () => void flights.delete(id);
        flight.then(forget, forget);
      }
      const kept = await flight;
      tell(run, kept ? `fwd=uri-miss; stored; ttl=${Math.round(life)}` : 'fwd=uri-miss', {
        life,
        kept: kept !== undefined,
      });
    };
  },

  check(step, context, before, report) {
    if (typeof step.seconds === 'string') checkExpression(step.seconds, context, '/seconds', before, report);
    step.key?.forEach((k, i) => checkExpression(k, context, `/key/${i}`, before, report));
    const unsafe = !['GET', 'HEAD', 'OPTIONS'].includes(context.operation.method);
    if (unsafe && step.key === undefined)
      report(
        finding(
          'HNG-319',
          `${context.operation.method} is remembered by path and query alone; requests with other bodies get the same answer`,
          context.place,
        ),
      );
    const end = context.checkSeries(step.flow, '/flow', before, report);
    if (step.notIf !== undefined) checkCondition(step.notIf, context, '/notIf', end, report);
    return end;
  },
};

function secondsOf(v: unknown): number {
  const n = isNumber(v) || typeof v === 'string' ? Number(v) : 0;
  return Number.isFinite(n) ? Math.min(n, 31_536_000) : 0;
}

async function fetchAndKeep(
  run: Run,
  steps: readonly CompiledStep[],
  notIf: ReturnType<typeof compileCondition> | undefined,
  life: number,
  keep: (r: Remembered) => void | Promise<void>,
): Promise<Remembered | undefined> {
  await runSeries(steps, run);
  const m = run.message;
  await m.body.load();
  if ((m.status ?? 200) >= 400 || (notIf && (await notIf.holds(run)))) return undefined;
  const at = run.ports.clock.now();
  const remembered: Remembered = { message: settled(m), ended: run.ended, storedMs: at, expiresMs: at + life * 1000 };
  await keep(remembered);
  return remembered;
}

/** What is kept must not change, nor hold on to a connection. */
function settled(m: Message): Message {
  m.body.bytes();
  return m;
}

function recall(run: Run, r: Remembered, life: number, more = ''): void {
  const now = run.ports.clock.now();
  const age = Math.max(0, Math.floor((now - r.storedMs) / 1000));
  run.message = r.message;
  if (r.ended) run.ended = true;
  run.replyHeaders.age = String(age);
  tell(run, `hit; ttl=${Math.max(0, Math.round((r.expiresMs - now) / 1000))}${more}`, { hit: true, age, life });
}

function tell(run: Run, words: string, notes: Record<string, unknown>): void {
  const mine = `${CACHE}; ${words}`;
  const before = run.replyHeaders['cache-status'];
  // Each cache adds itself behind the one that is nearer to the origin (RFC 9211 §2).
  run.replyHeaders['cache-status'] = before === undefined ? mine : `${before}, ${mine}`;
  run.notes = { cacheStatus: mine, ...notes };
}
