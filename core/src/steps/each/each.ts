import { Refusal } from '../../problem';
import { resolveSchema, schemaAt, type JsonSchema } from '../../schema';
import { checkExpression, loadForReading, readsBody, runnable } from '../expression';
import { joined, runLine, valueOf, wordsOf, type End } from '../gather/gather';
import type { MessageType, StepKind } from '../kind';
import type { EachDocument } from './schema';

const AT_ONCE = 5;
const MOST = 1_000;

export const eachKind: StepKind<EachDocument> = {
  kind: 'each',
  words: 'run steps for every item of a list',
  label: (step) => step.items,

  parts: (step) => [{ pointer: '/flow', name: `each ${step.as ?? 'item'}`, flow: step.flow }],

  compile(step, context) {
    const items = runnable(step.items);
    const steps = context.series(step.flow, '/flow');
    const name = step.as ?? 'item';
    const most = step.most ?? MOST;
    return async (run) => {
      await loadForReading(run, readsBody(items));
      const found = await items.evaluate(run.scope);
      const list = found === undefined || found === null ? [] : Array.isArray(found) ? (found as unknown[]) : [found];
      if (list.length > most)
        throw new Refusal('HNG-423', {
          detail: `A list has ${list.length} items; ${most} are allowed here.`,
          inner: `each over ${step.items}`,
        });
      const ends = new Array<End | undefined>(list.length);
      let next = 0;
      let failure: unknown;
      const work = async (): Promise<void> => {
        while (next < list.length && failure === undefined) {
          const i = next++;
          const fork = run.fork(joined(list[i]), i);
          fork.vars[name] = list[i];
          fork.vars.index = i;
          const end = await runLine(fork, steps, undefined);
          ends[i] = end;
          if (end.error !== undefined && (step.onFailure ?? 'fail') === 'fail') failure ??= end.error;
        }
      };
      const began = run.ports.clock.now();
      await Promise.all(Array.from({ length: Math.min(step.atOnce ?? AT_ONCE, list.length) }, work));
      run.backendMs += run.ports.clock.now() - began;
      const failed = ends.flatMap((e, i) => (e?.error === undefined ? [] : [{ item: i, failed: wordsOf(e.error) }]));
      run.notes = {
        items: list.length,
        inSeriesMs: ends.reduce((sum, e) => sum + (e?.ms ?? 0), 0),
        ...(failed.length && { failed: failed.slice(0, 20) }),
      };
      if (failure !== undefined) throw failure;
      const body: unknown[] = [];
      for (const end of ends) {
        if (end?.error === undefined) body.push(end ? valueOf(end.run) : null);
        else if (step.onFailure === 'default') body.push(step.default ?? null);
      }
      run.message = joined(body);
    };
  },

  check(step, context, before, report) {
    const e = checkExpression(step.items, context, '/items', before, report);
    const list =
      e?.path?.[0] === 'body' && before.body ? schemaAt(before.body, before.types, e.path.slice(1)) : undefined;
    const item: JsonSchema | undefined = list && resolveSchema(list, before.types).items;
    const inner: MessageType = { body: item, types: before.types, words: `one ${step.as ?? 'item'}`, isReply: true };
    const end = context.checkSeries(step.flow, '/flow', inner, report);
    return {
      body: { type: 'array', items: end.body ?? {} },
      types: end.types,
      words: 'the list of results',
      isReply: true,
    };
  },
};
