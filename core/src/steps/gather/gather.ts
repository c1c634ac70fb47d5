import { runSeries, type CompiledStep, type Run } from '../../flow/run';
import { bodyValue } from '../../flow/body-value';
import { Body } from '../../message/body';
import { finding, Refusal } from '../../problem';
import type { JsonSchema } from '../../schema';
import type { StepKind } from '../kind';
import { localTypes } from '../local-types';
import type { GatherDocument } from './schema';

export const gatherKind: StepKind<GatherDocument> = {
  kind: 'gather',
  words: 'run several lines at the same time and join their results',
  label: (step) => step.lines.map((l) => l.name).join(', '),

  parts: (step) => step.lines.map((line, i) => ({ pointer: `/lines/${i}/flow`, name: line.name, flow: line.flow })),

  compile(step, context) {
    const lines = step.lines.map((line, i) => ({ ...line, steps: context.series(line.flow, `/lines/${i}/flow`) }));
    return async (run) => {
      await run.message.body.load();
      const began = run.ports.clock.now();
      const settled = await Promise.all(lines.map((line) => runLine(run, line.steps, step.timeoutMs)));
      const body: Record<string, unknown> = {};
      const notes: Record<string, unknown> = {};
      let series = 0;
      let backendMs = 0;
      let failure: unknown;
      settled.forEach((end, i) => {
        const line = lines[i]!;
        series += end.ms;
        backendMs = Math.max(backendMs, end.run.backendMs - run.backendMs);
        notes[line.name] = { ms: end.ms, ...(end.error !== undefined && { failed: wordsOf(end.error) }) };
        if (end.error !== undefined) {
          if (line.onFailure === 'default') body[line.name] = line.default ?? null;
          else if (line.onFailure !== 'leaveOut') failure ??= end.error;
          return;
        }
        run.steps[line.name] = end.run.message;
        Object.assign(run.steps, end.run.steps);
        body[line.name] = valueOf(end.run);
      });
      run.backendMs += backendMs;
      const slowest = settled.reduce((at, end, i) => (end.ms > settled[at]!.ms ? i : at), 0);
      run.notes = {
        lines: notes,
        critical: `/lines/${slowest}/flow`,
        inSeriesMs: series,
        ms: run.ports.clock.now() - began,
      };
      if (failure !== undefined) throw failure;
      run.message = joined(body);
    };
  },

  check(step, context, before, report) {
    const seen = new Set<string>();
    const types = localTypes();
    const properties: Record<string, JsonSchema> = {};
    const required: string[] = [];
    step.lines.forEach((line, i) => {
      if (seen.has(line.name))
        report(
          finding('HNG-326', `two lines are called ${line.name}`, {
            ...context.place,
            pointer: `${context.place.pointer}/lines/${i}/name`,
          }),
        );
      seen.add(line.name);
      const end = context.checkSeries(line.flow, `/lines/${i}/flow`, before, report);
      properties[line.name] = types.take(end.body ?? {}, end.types);
      if (line.onFailure === undefined || line.onFailure === 'fail') required.push(line.name);
    });
    return {
      body: { type: 'object', properties, required },
      types: types.table,
      words: 'the gathered results',
      isReply: true,
    };
  },
};

export interface End {
  readonly run: Run;
  readonly ms: number;
  readonly error?: unknown;
}

/** One line on a run of its own; a failure is kept, so that the other lines come to their end. */
export async function runLine(run: Run, steps: readonly CompiledStep[], timeoutMs: number | undefined): Promise<End> {
  const fork = run.fork();
  fork.demandsSuccess = true;
  const began = run.ports.clock.now();
  const end = (error?: unknown): End => ({ run: fork, ms: run.ports.clock.now() - began, error });
  let timer: ReturnType<typeof setTimeout> | undefined;
  try {
    const work = (async () => {
      await runSeries(steps, fork);
      await fork.message.body.load();
      // Not to be found out by whoever joins the lines.
      bodyValue(fork.message);
    })();
    if (timeoutMs === undefined) await work;
    else {
      const late = new Promise<never>((_resolve, reject) => {
        timer = setTimeout(
          () => reject(new Refusal('HNG-503', { detail: `A part of the answer did not come within ${timeoutMs} ms.` })),
          timeoutMs,
        );
      });
      // Whoever comes second is not waited for, and must not count as an error that nobody caught.
      work.catch(() => undefined);
      await Promise.race([work, late]);
    }
    return end();
  } catch (error) {
    return end(error ?? new Error('failed'));
  } finally {
    clearTimeout(timer);
  }
}

export function valueOf(run: Run): unknown {
  const v = bodyValue(run.message);
  return v === undefined ? null : v;
}

export function joined(value: unknown): Run['message'] {
  return {
    status: 200,
    headers: { 'content-type': 'application/json' },
    body: Body.ofValue(value, 'application/json'),
    format: 'JSON',
  };
}

export const wordsOf = (error: unknown): string => (error as Error).message;
