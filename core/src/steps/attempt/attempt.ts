import { runSeries } from '../../flow/run';
import { Refusal } from '../../problem';
import { checkCondition, compileCondition } from '../condition';
import { loadForReading } from '../expression';
import { mergeTypes, type StepKind } from '../kind';
import type { AttemptDocument } from './schema';

export const attemptKind: StepKind<AttemptDocument> = {
  kind: 'attempt',
  words: 'run steps, and others when they fail',
  label: (step) => (step.failures.length ? `or ${step.failures.map((f) => f.on.join(', ')).join('; ')}` : 'no way out'),

  parts: (step) => [
    { pointer: '/flow', name: 'attempt', flow: step.flow },
    ...step.failures.map((f, i) => ({ pointer: `/failures/${i}/flow`, name: `on ${f.on.join(', ')}`, flow: f.flow })),
  ],

  compile(step, context) {
    const steps = context.series(step.flow, '/flow');
    const failures = step.failures.map((f, i) => ({
      on: f.on,
      when: f.when === undefined ? undefined : compileCondition(f.when),
      steps: context.series(f.flow, `/failures/${i}/flow`),
    }));
    return async (run) => {
      const before = run.message;
      // The body may be needed again: a stream is gone after the first call.
      await before.body.load();
      const demanded = run.demandsSuccess;
      try {
        run.demandsSuccess = true;
        await runSeries(steps, run);
        run.demandsSuccess = demanded;
        run.notes = run.observer && { taken: '/flow' };
      } catch (error) {
        run.demandsSuccess = demanded;
        const failure = failureOf(error);
        const kept = run.message;
        run.message = before;
        run.vars.failure = failure;
        for (let i = 0; i < failures.length; i++) {
          const f = failures[i]!;
          if (!f.on.some((on) => fits(on, failure))) continue;
          await loadForReading(run, f.when?.readsBody ?? false);
          if (f.when && !(await f.when.holds(run))) continue;
          await runSeries(f.steps, run);
          run.notes = run.observer && { taken: `/failures/${i}/flow`, failure };
          return;
        }
        run.message = kept;
        throw error;
      }
    };
  },

  check(step, context, before, report) {
    const ends = [context.checkSeries(step.flow, '/flow', before, report)];
    step.failures.forEach((f, i) => {
      if (f.when !== undefined) checkCondition(f.when, context, `/failures/${i}/when`, before, report);
      ends.push(context.checkSeries(f.flow, `/failures/${i}/flow`, before, report));
    });
    return mergeTypes(ends, 'what the attempt made');
  },
};

/** What expressions see as vars.failure. */
export interface Failure {
  readonly status: number;
  readonly code: string;
  readonly reason: string;
  readonly kind?: 'timeout' | 'unreachable' | 'unreadable';
  /** Name of the declared fault, where there is one. */
  readonly fault?: string;
  readonly detail?: unknown;
  readonly backend?: string;
}

const KINDS: Readonly<Record<string, Failure['kind']>> = {
  'HNG-502': 'unreachable',
  'HNG-503': 'timeout',
  'HNG-504': 'unreadable',
  'HNG-505': 'unreadable',
  'HNG-508': 'unreachable',
};

function failureOf(error: unknown): Failure {
  if (!(error instanceof Refusal)) return { status: 500, code: 'HNG-420', reason: (error as Error).message };
  const { options } = error;
  return {
    status: options.backendStatus ?? error.status,
    code: error.code,
    reason: options.fault?.reason ?? options.detail ?? error.message,
    kind: KINDS[error.code],
    fault: options.kind ?? (options.fault && options.fault.code),
    detail: options.fault?.detail,
    backend: options.backend,
  };
}

function fits(on: string, f: Failure): boolean {
  if (on === 'any') return true;
  if (on === 'fault') return f.fault !== undefined;
  if (on === f.kind || on === f.fault) return true;
  if (/^[45]XX$/.test(on)) return Math.floor(f.status / 100) === Number(on[0]);
  return on === String(f.status);
}
