import type { StepKind } from '../kind';
import { checkExpression, keyPointer, loadForReading, readsBody, runnable } from '../expression';
import type { SetDocument } from './schema';

export const setKind: StepKind<SetDocument> = {
  kind: 'set',
  words: 'keep values as variables',
  label: (step) => Object.keys(step.values).join(', '),

  compile(step) {
    const values = Object.entries(step.values).map(([name, source]) => [name, runnable(source)] as const);
    const needsBody = values.some(([, e]) => readsBody(e));
    return async (run) => {
      await loadForReading(run, needsBody);
      for (const [name, e] of values) run.vars[name] = await e.evaluate(run.scope);
      run.notes = { ...run.vars };
    };
  },

  check(step, context, before, report) {
    for (const [name, source] of Object.entries(step.values))
      checkExpression(source, context, keyPointer('values', name), before, report);
    return before;
  },
};
