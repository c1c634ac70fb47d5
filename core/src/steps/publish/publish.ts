import { writeJson } from '../../codec/json';
import { newEvent } from '../../events/wire';
import { refWith } from '../../events/family';
import type { TopicRef } from '../../events/ports';
import { dataChecker, publishTo, readValues, refOf } from '../../events/publishing';
import { topicParameters, topicRef } from '../../events/topic';
import type { TopicEvent } from '../../events/event';
import { Body } from '../../message/body';
import { checkParameters } from '../../events/parameters';
import type { Run } from '../../flow/run';
import type { Message } from '../../message/message';
import { finding, Refusal } from '../../problem';
import type { JsonSchema } from '../../schema';
import { checkExpression, readsBody, runnable } from '../expression';
import type { StepKind } from '../kind';
import type { PublishDocument } from './schema';

const PARTS = ['data', 'id', 'type', 'subject', 'once'] as const;

/** Sends an event. It is confirmed by the broker before the flow goes on (QoS 1): what was answered 202 is with the broker. */
export const publishKind: StepKind<PublishDocument> = {
  kind: 'publish',
  words: 'send an event to a topic',
  label: (step) => step.topic,

  compile(step, { document, types: _types }) {
    const make = Object.fromEntries(
      PARTS.flatMap((p) => (step[p] === undefined ? [] : [[p, runnable(step[p])]])),
    ) as Partial<Record<(typeof PARTS)[number], ReturnType<typeof runnable>>>;
    const given = Object.entries(step.parameters ?? {}).map(([name, source]) => [name, runnable(source)] as const);
    const faultsOf = dataChecker(document, step.topic);
    const needsBody =
      make.data === undefined || Object.values(make).some(readsBody) || given.some(([, e]) => readsBody(e));
    return async (run) => {
      const family = refOf(document, step.topic, run);
      if (needsBody) await run.message.body.load();
      const { scope } = run;
      const ref = given.length || family.family ? await oneOf(family, given, scope) : family;
      const text = async (part: 'id' | 'type' | 'subject' | 'once'): Promise<string | undefined> => {
        const v: unknown = await make[part]?.evaluate(scope);
        return v === undefined || v === null ? undefined : typeof v === 'string' ? v : writeJson(v);
      };
      const data = make.data
        ? Body.ofText(writeJson((await make.data.evaluate(scope)) ?? null), 'application/json')
        : run.message.body;
      const faults = faultsOf(data);
      if (faults.length) {
        // A caller can mend what it sent itself, and nothing else.
        if (!make.data && run.message.status === undefined && run.isRequest)
          throw new Refusal('HNG-404', { errors: faults });
        throw new Refusal('HNG-422', {
          detail: 'A message broke a check of the flow. The trace says where.',
          inner: `the topic ${step.topic}: ${faults.map((f) => `${f.pointer || '/'} ${f.detail}`).join('; ')}`,
        });
      }
      const [id, type, subject, key] = [
        await text('id'),
        await text('type'),
        await text('subject'),
        await text('once'),
      ];
      const own = newEvent(ref, data);
      const event: TopicEvent = {
        ...own,
        id: id ?? own.id,
        type: type ?? own.type,
        ...(subject !== undefined && { subject }),
      };
      const once = key ?? run.request.message.headers['idempotency-key'];
      const done = await publishTo(
        run,
        ref,
        event,
        once === undefined ? undefined : { once: `${run.identity?.app?.id ?? ''} ${once}` },
      );
      run.notes = {
        topic: step.topic,
        address: ref.address,
        id: done.id,
        type: event.type,
        ...(subject !== undefined && { subject }),
        ...(done.held && { held: true }),
        ...(done.repeated && { repeated: true }),
        data: data.text().slice(0, 4000),
      };
      if (step.answer !== false) run.message = accepted({ id: done.id, topic: step.topic });
    };
  },

  check(step, context, before, report) {
    const place = (p: string) => ({ ...context.place, pointer: `${context.place.pointer ?? ''}${p}` });
    const ref = topicRef(context.document, step.topic, undefined);
    if (!context.document.topics?.[step.topic])
      report(finding('HNG-328', typeof ref === 'string' ? ref : '', place('/topic')));
    const topic = context.document.topics?.[step.topic];
    if (topic)
      checkParameters(topicParameters(step.topic, topic), step.parameters, `publish to ${step.topic}`, place, report);
    for (const [name, source] of Object.entries(step.parameters ?? {}))
      checkExpression(source, context, `/parameters/${name}`, before, report);
    for (const p of PARTS) if (step[p] !== undefined) checkExpression(step[p], context, `/${p}`, before, report);
    return step.answer === false
      ? before
      : { body: ACCEPTED, types: {}, words: `what ${step.topic} took`, isReply: true };
  },
};

/** The topic that the values of the flow mean. Throws Refusal: none of it is the caller's doing. */
async function oneOf(
  ref: TopicRef,
  given: readonly (readonly [string, ReturnType<typeof runnable>])[],
  scope: Run['scope'],
): Promise<TopicRef> {
  if (!ref.family) return ref;
  const all: Record<string, unknown> = {};
  for (const [name, e] of given) all[name] = await e.evaluate(scope);
  const { values, faults } = readValues(ref.family, all);
  if (faults.length)
    throw new Refusal('HNG-422', {
      detail: 'A message broke a check of the flow. The trace says where.',
      inner: `the topic ${ref.name}: ${faults.map((f) => `its parameter ${f.parameter!} ${f.detail}`).join('; ')}`,
    });
  return refWith(ref, values);
}

const ACCEPTED: JsonSchema = {
  type: 'object',
  properties: { id: { type: 'string' }, topic: { type: 'string' } },
  required: ['id', 'topic'],
};

/** 202 (RFC 9110 §15.3.3): taken, and with the broker; who gets it, and when, is not known here. */
export function accepted(value: Record<string, unknown>): Message {
  return {
    status: 202,
    headers: { 'content-type': 'application/json' },
    body: Body.ofText(writeJson(value), 'application/json'),
    format: 'JSON',
  };
}
