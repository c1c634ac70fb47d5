import { isoNow } from '../iso';
import { writeJson } from '../codec/json';
import { Body } from '../message/body';
import { isJson } from '../message/headers';
import { attributesOf, fromStructured, STRUCTURED, toStructured, withAttributes, type TopicEvent } from './event';
import { valueWords } from './family';
import type { BrokerMessage, TopicRef } from './ports';

/** What goes to a broker: data alone, or a CloudEvent: binary where the protocol has properties, else structured (MQTT binding 1.0.2 §3). */
export function payloadOf(topic: TopicRef, event: TopicEvent): BrokerMessage {
  const { data } = event;
  if (topic.form === 'plain') return { payload: data.bytes(), mediaType: data.mediaType };
  if (topic.broker?.version === 5)
    return {
      payload: data.bytes(),
      mediaType: data.mediaType,
      properties: { specversion: '1.0', ...attributesOf(event) },
    };
  return { payload: new TextEncoder().encode(writeJson(toStructured(event))), mediaType: STRUCTURED };
}

/** What a broker sent, as an event. What is no event by its own words is data, with attributes of our making. */
export function eventFrom(topic: TopicRef, m: BrokerMessage): TopicEvent {
  const event = readEvent(topic, m);
  return topic.family ? { ...event, parameters: topic.family.given } : event;
}

function readEvent(topic: TopicRef, m: BrokerMessage): TopicEvent {
  const mediaType = m.mediaType ?? topic.mediaType;
  try {
    if (m.properties?.specversion) return withAttributes(m.properties, Body.ofBytes(m.payload, mediaType));
    if (m.mediaType?.startsWith(STRUCTURED) || (topic.form === 'cloudevents' && isJson(mediaType)))
      return fromStructured(Body.ofBytes(m.payload, 'application/json').value());
  } catch {
    // No event by its own words.
  }
  return newEvent(topic, Body.ofBytes(m.payload, mediaType));
}

/** An event that says nothing of itself but its data; what it is about are the values of its topic's parameters. */
export const newEvent = (topic: Pick<TopicRef, 'name' | 'source' | 'family'>, data: Body): TopicEvent => ({
  id: crypto.randomUUID(),
  source: topic.source,
  type: topic.name,
  ...(topic.family && { subject: valueWords(topic.family) }),
  time: isoNow(),
  data,
});
