import { LIMITS } from '../../limits';
import { bodyValue } from '../../flow/body-value';
import { finding, Refusal } from '../../problem';
import {
  ValidatorSet,
  collectFaults,
  replySide,
  replyTypes,
  requestTypes,
  type JsonSchema,
  type TypeTable,
} from '../../schema';
import { requestSchema } from '../../flow/request-schema';
import type { StepContext, StepKind } from '../kind';
import type { CheckDocument } from './schema';

export const checkKind: StepKind<CheckDocument> = {
  kind: 'check',
  words: 'hold the body against a schema',
  label: (step) =>
    typeof step.against === 'string' ? `the ${step.against}` : 'type' in step.against ? step.against.type : 'a schema',

  compile(step, context) {
    const schema = schemaOf(step, context);
    if (!schema && typeof step.against !== 'string')
      return () => {
        // What is held against nothing would let everything through.
        throw new Refusal('HNG-420', {
          detail: 'A step of the flow failed. The trace says which.',
          inner: 'the check names a type that there is not',
        });
      };
    if (!schema) return () => undefined;
    const validate = new ValidatorSet(typesFor(step, context)).compile(schema);
    return async (run) => {
      await run.message.body.load();
      let value: unknown;
      try {
        value = bodyValue(run.message);
      } catch (error) {
        if (error instanceof Refusal) throw error;
        throw new Refusal('HNG-422', { inner: `the body cannot be read: ${(error as Error).message}` });
      }
      const faults = collectFaults(validate, value);
      run.notes = { faults: faults.length };
      if (!faults.length) return;
      // A caller can mend a request, and nothing else.
      if (run.message.status === undefined && run.isRequest) throw new Refusal('HNG-404', { errors: faults });
      throw new Refusal('HNG-422', {
        detail: 'A message broke a check of the flow. The trace says where.',
        inner: faults
          .slice(0, LIMITS.inputFaults)
          .map((f) => `${f.pointer || '/'} ${f.detail}`)
          .join('; '),
      });
    };
  },

  check(step, context, before, report) {
    const schema = schemaOf(step, context);
    const place = { ...context.place, pointer: `${context.place.pointer}/against` };
    if (!schema) {
      const words =
        typeof step.against === 'string'
          ? `the operation has no schema of its ${step.against}`
          : 'there is no such type';
      report(finding('HNG-302', words, place, 'Choose another schema, or give the operation one.'));
      return before;
    }
    return { ...before, body: schema, types: typesFor(step, context) };
  },
};

function typesFor({ against }: CheckDocument, { types }: StepContext): TypeTable {
  return against === 'request' ? requestTypes(types) : against === 'reply' ? replyTypes(types) : types;
}

function schemaOf(step: CheckDocument, context: StepContext): JsonSchema | undefined {
  const { against } = step;
  if (against === 'request') return requestSchema(context.operation, context.types);
  if (against === 'reply') return replySide(context.operation.reply?.schema, context.types);
  if ('type' in against) return context.types[against.type] ? { $ref: `#/types/${against.type}` } : undefined;
  return against.schema;
}
