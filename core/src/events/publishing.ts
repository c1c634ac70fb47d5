import type { Run } from '../flow/run';
import type { FlowDocument } from '../flow/document';
import type { Body } from '../message/body';
import { isJson } from '../message/headers';
import { Refusal, type InputFault } from '../problem';
import { collectFaults, ValidatorSet, type JsonSchema } from '../schema';
import type { TopicEvent } from './event';
import { BrokerFailure, type Published, type PublishOptions, type TopicRef } from './ports';
import { topicRef } from './topic';

export const refOf = (document: FlowDocument, topic: string, run: Run): TopicRef => {
  const ref = topicRef(document, topic, run.environment);
  if (typeof ref === 'string')
    throw new Refusal('HNG-511', { detail: `The topic ${topic} is not to be had here.`, inner: ref });
  return ref;
};

/** Sends to a topic, and turns what can go wrong into refusals that name the topic, never the broker's address. */
export async function publishTo(
  run: Run,
  ref: TopicRef,
  event: TopicEvent,
  options?: PublishOptions,
): Promise<Published> {
  const { topics, clock } = run.ports;
  if (!topics)
    throw new Refusal('HNG-510', { detail: `${ref.name} cannot take events now.`, inner: 'this engine has no topics' });
  const started = clock.now();
  try {
    return await topics.publish(ref, event, options);
  } catch (error) {
    if (!(error instanceof BrokerFailure)) throw error;
    throw new Refusal('HNG-510', {
      detail: `${ref.name} cannot take events now; this one was not taken.`,
      inner: `${ref.broker?.address ?? 'inside'} ${ref.address}: ${error.message}`,
      cause: error,
      headers: { 'retry-after': '1' },
    });
  } finally {
    run.backendMs += clock.now() - started;
  }
}

/** What of an event's data breaks the topic's schema. */
export function dataChecker(document: FlowDocument, topic: string): (data: Body) => readonly InputFault[] {
  const schema = document.topics?.[topic]?.schema as JsonSchema | undefined;
  if (!schema) return () => [];
  const validate = new ValidatorSet(document.types ?? {}).compile(schema);
  return (data) => {
    if (!isJson(data.mediaType)) return [{ pointer: '', code: 'type', detail: 'the data must be JSON' }];
    return collectFaults(validate, data.value());
  };
}
