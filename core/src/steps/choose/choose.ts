import { runSeries, type CompiledStep, type Run } from '../../flow/run';
import { finding } from '../../problem';
import { checkCondition, compileCondition, conditionWords } from '../condition';
import { loadForReading } from '../expression';
import { mergeTypes, type StepKind } from '../kind';
import type { ChooseDocument } from './schema';

export const chooseKind: StepKind<ChooseDocument> = {
  kind: 'choose',
  words: 'take one of several lines, by conditions',
  label: (step) => `${step.lines.length + (step.otherwise ? 1 : 0)} lines`,

  parts: (step) => [
    ...step.lines.map((line, i) => ({
      pointer: `/lines/${i}/flow`,
      name: line.name ?? conditionWords(line.when),
      flow: line.flow,
    })),
    ...(step.otherwise ? [{ pointer: '/otherwise', name: 'otherwise', flow: step.otherwise }] : []),
  ],

  compile(step, context) {
    const lines = step.lines.map((line, i) => ({
      name: line.name ?? conditionWords(line.when),
      when: compileCondition(line.when),
      steps: context.series(line.flow, `/lines/${i}/flow`),
    }));
    const otherwise = context.series(step.otherwise ?? [], '/otherwise');
    const needsBody = lines.some((l) => l.when.readsBody);
    return async (run) => {
      await loadForReading(run, needsBody);
      for (let i = 0; i < lines.length; i++) {
        const line = lines[i]!;
        if (!(await line.when.holds(run))) continue;
        const notes = run.observer && { line: line.name, taken: `/lines/${i}/flow` };
        await noting(run, notes, line.steps);
        return;
      }
      const notes = run.observer && { line: 'otherwise', taken: '/otherwise' };
      await noting(run, notes, otherwise);
    };
  },

  check(step, context, before, report) {
    const seen = new Map<string, number>();
    const ends = step.lines.map((line, i) => {
      checkCondition(line.when, context, `/lines/${i}/when`, before, report);
      const words = conditionWords(line.when);
      const first = seen.get(words);
      const place = { ...context.place, pointer: `${context.place.pointer}/lines/${i}` };
      if (first !== undefined)
        report(finding('HNG-315', `line ${i + 1} has the condition of line ${first + 1}, which comes before`, place));
      else if (seen.has('true'))
        report(finding('HNG-315', `line ${i + 1} comes after a line whose condition always holds`, place));
      else if (words === 'false') report(finding('HNG-315', `the condition of line ${i + 1} never holds`, place));
      seen.set(words, seen.get(words) ?? i);
      return context.checkSeries(line.flow, `/lines/${i}/flow`, before, report);
    });
    ends.push(context.checkSeries(step.otherwise ?? [], '/otherwise', before, report));
    return mergeTypes(ends, 'what the line made');
  },
};

/** Which line was taken is known also when the line fails. */
async function noting(run: Run, notes: Run['notes'], steps: readonly CompiledStep[]): Promise<void> {
  try {
    await runSeries(steps, run);
  } finally {
    run.notes = notes;
  }
}
