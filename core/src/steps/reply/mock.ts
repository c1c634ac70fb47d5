import type { OperationDocument, ReplyExample } from '../../flow/document';
import type { Run } from '../../flow/run';
import { Refusal } from '../../problem';
import { sampleOf, type TypeTable } from '../../schema';
import { compileCondition } from '../condition';
import { loadForReading } from '../expression';

/** Chooses among the examples of an operation: by name, by the request, or makes one from the schema. */
export function compileMock(wanted: string, operation: OperationDocument, types: TypeTable) {
  const { reply } = operation;
  const examples = Object.entries(reply?.examples ?? {}).map(([name, example]) => ({
    name,
    example,
    when: example.when === undefined ? undefined : compileCondition(example.when),
  }));
  const made: ReplyExample | undefined = reply?.schema && {
    value: sampleOf(reply.schema, types, { without: 'writeOnly' }),
  };
  return async (run: Run): Promise<{ name: string; example: ReplyExample }> => {
    if (wanted !== 'auto') {
      const found = examples.find((e) => e.name === wanted);
      if (found) return found;
      throw new Refusal('HNG-425', { detail: 'The mock has no such example.', inner: `there is no example ${wanted}` });
    }
    await loadForReading(
      run,
      examples.some((e) => e.when?.readsBody),
    );
    for (const e of examples) if (e.when && (await e.when.holds(run))) return e;
    const plain = examples.find((e) => !e.when) ?? examples[0];
    if (plain) return plain;
    return { name: 'made from the schema', example: made ?? { value: undefined } };
  };
}
