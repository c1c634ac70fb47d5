import type { Run } from '../flow/run';
import type { FlowDocument } from '../flow/document';
import type { Body } from '../message/body';
import { isJson } from '../message/headers';
import { Refusal, type InputFault } from '../problem';
import { collectFaults, ValidatorSet, type JsonSchema } from '../schema';
import type { TopicEvent } from './event';
import { refWith, valueFault, type TopicFamily } from './family';
import { BrokerFailure, type Published, type PublishOptions, type TopicRef } from './ports';
import { topicRef } from './topic';

/** The topic as it stands here, with all its parameters open. Throws Refusal. */
export const refOf = (document: FlowDocument, topic: string, run: Run): TopicRef => {
  const ref = topicRef(document, topic, run.environment);
  if (typeof ref === 'string')
    throw new Refusal('HNG-511', { detail: `The topic ${topic} is not to be had here.`, inner: ref });
  return ref;
};

/**
 * The topic that a request means by the parameters of its path; `open`: `*` leaves one open, and so does what is missing. Throws Refusal with each parameter
 * that cannot be.
 */
export function refBy(
  document: FlowDocument,
  topic: string,
  run: Run,
  given: Readonly<Record<string, unknown>>,
  open = false,
): TopicRef {
  const ref = refOf(document, topic, run);
  if (!ref.family) return ref;
  const read = readValues(ref.family, given, open);
  if (read.faults.length) throw new Refusal('HNG-404', { errors: read.faults });
  return refWith(ref, read.values);
}

/** Values by their names, and what is wrong with them. */
export function readValues(
  family: TopicFamily,
  given: Readonly<Record<string, unknown>>,
  open = false,
): { values: Record<string, string>; faults: InputFault[] } {
  const values: Record<string, string> = {};
  const faults: InputFault[] = [];
  for (const name of family.names) {
    const value = given[name];
    if (open && (value === undefined || value === null || value === '*')) continue;
    const fault = valueFault(family, name, value);
    if (fault) faults.push(fault);
    else values[name] = String(value as string);
  }
  return { values, faults };
}

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
