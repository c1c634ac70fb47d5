import { z } from 'zod';
import type { FlowDocument } from '../flow/document';
import { escapePointer } from '../schema';
import { addressOf, parameterNames, type TopicFamily } from './family';
import { protocolOf, type TopicRef } from './ports';

const name = z.string().min(1).max(200);
const expression = z.string().min(1).max(20_000);

/** Where events go to and come from. */
export const brokerSchema = z.strictObject({
  description: z.string().optional(),
  address: z
    .string()
    .optional()
    .describe('mqtt://, mqtts://, nats:// or tls:// (NATS) with host:port, for every environment without its own'),
  addresses: z.record(z.string(), z.string()).optional().describe('Address by environment'),
  version: z.enum(['3.1.1', '5']).optional().describe('Of MQTT; 5 when absent'),
});
export type BrokerDocument = z.infer<typeof brokerSchema>;

/** All but guards, which the document adds: they know more than this file. */
export const topicBase = {
  title: z.string().optional(),
  description: z.string().optional(),
  broker: name.optional().describe('Name under brokers; without one the topic is within each gateway alone'),
  address: name
    .regex(/^[^#+\0]+$/, 'must be one topic, without wildcards')
    .optional()
    .describe('Name of the topic at the broker; its name here when absent. {name} stands for a part of it'),
  parameters: z
    .record(
      z.string().regex(/^[A-Za-z0-9_-]{1,100}$/, 'may hold letters, digits, _ and -'),
      z.strictObject({
        description: z.string().optional(),
        values: z.array(name).min(1).max(1000).optional().describe('Those it may have; any text when absent'),
        example: z.string().optional(),
      }),
    )
    .optional()
    .describe('More about the parameters of the address'),
  schema: z.looseObject({}).optional().describe('JSON Schema 2020-12 of the data of an event'),
  form: z
    .enum(['plain', 'cloudevents'])
    .optional()
    .describe(
      'plain (when absent): the data alone; cloudevents: CloudEvents 1.0, binary in MQTT 5, structured in MQTT 3.1.1 and NATS',
    ),
  qos: z
    .union([z.literal(0), z.literal(1)])
    .optional()
    .describe('1 when absent: the broker confirms each event (NATS: a stream that keeps the subject)'),
  retain: z.boolean().optional().describe('The broker keeps the last event for whoever comes later (MQTT)'),
  keep: z
    .strictObject({ events: z.int().min(0).max(100_000), seconds: z.number().min(0).max(86_400) })
    .optional()
    .describe('What a gateway keeps for listeners who come back; 1000 events, 600 seconds when absent'),
};
export const callbackBase = {
  path: z
    .string()
    .regex(/^\/[^?#*]*$/, 'must start with /')
    .describe('Below the door: where others call back; it has the parameters of the address'),
  where: expression.optional().describe('Only what this holds for is an event; names as in a flow'),
  data: expression.optional().describe('The data of the event, made of body, headers and query; the body when absent'),
  once: z
    .string()
    .min(1)
    .max(200)
    .optional()
    .describe('Header that tells one delivery from another: the same again within ten minutes is not sent again'),
  challenge: z
    .string()
    .min(1)
    .max(100)
    .optional()
    .describe('Query parameter that is given back by GET; hub.challenge when absent'),
  from: z.array(z.string()).max(100).optional().describe('Values of hub.topic that were asked for; any when absent'),
};

export const channelBase = {
  path: z
    .string()
    .regex(/^\/[^?#*]*$/, 'must start with /')
    .optional()
    .describe(
      'Below the door, with the parameters of the address; / and the name, then / and each of them when absent',
    ),
  publish: z.boolean().optional().describe('false: nothing is published by this path'),
  listen: z.boolean().optional().describe('false: nobody listens by this path'),
  where: expression
    .optional()
    .describe('Only events for which this holds; names are body, event, parameters, app, plan, query'),
  data: expression.optional().describe('What a listener gets, made of body, event, parameters, app, plan, query'),
};

export const webhooksSchema = z
  .strictObject({
    callbacks: z
      .array(z.string().regex(/^https?:\/\/[^\s/?#]+(\/[^\s?#]*)?$/, 'must be an http or https address'))
      .min(1)
      .max(200)
      .describe('Addresses that may be called: the same origin, and a path that begins with this one'),
    attempts: z.int().min(1).max(20).optional().describe('Tries before an event is laid aside; 8 when absent'),
    leaseSeconds: z
      .int()
      .min(60)
      .max(31_536_000)
      .optional()
      .describe('Longest subscription; 864000 (ten days) when absent'),
  })
  .describe('Subscribers are called back (W3C WebSub): the hub is at /hub below a door that answers events');
export type WebhooksDocument = z.infer<typeof webhooksSchema>;

export type TopicDocument = NonNullable<FlowDocument['topics']>[string];

const VERSIONS = { '3.1.1': 4, '5': 5 } as const;

/** A document does not change: what was found in it once is the same for every event. By document, environment and topic. */
const known = new WeakMap<FlowDocument, Map<string | undefined, Map<string, TopicRef | string>>>();

/** A topic as it stands in an environment, its parameters open; a text says why there is none. The same object whenever it is asked for. */
export function topicRef(document: FlowDocument, topic: string, environment: string | undefined): TopicRef | string {
  let all = known.get(document);
  if (!all) known.set(document, (all = new Map()));
  let here = all.get(environment);
  if (!here) all.set(environment, (here = new Map()));
  let ref = here.get(topic);
  if (ref === undefined) here.set(topic, (ref = readTopic(document, topic, environment)));
  return ref;
}

function readTopic(document: FlowDocument, topic: string, environment: string | undefined): TopicRef | string {
  const t = document.topics?.[topic];
  if (!t) return `there is no topic ${topic}`;
  const broker = t.broker === undefined ? undefined : document.brokers?.[t.broker];
  if (t.broker !== undefined && !broker) return `the topic ${topic} names the broker ${t.broker}, which does not exist`;
  const address = (environment !== undefined ? broker?.addresses?.[environment] : undefined) ?? broker?.address;
  if (broker && !address)
    return `the broker ${t.broker!} has no address${environment === undefined ? '' : ` in ${environment}`}`;
  const template = t.address ?? topic;
  const names = parameterNames(template);
  const family: TopicFamily | undefined = names.length
    ? {
        template,
        names,
        allowed: Object.fromEntries(names.map((n) => [n, t.parameters?.[n]?.values])),
        given: {},
        open: true,
        separator: address !== undefined && protocolOf(address) === 'nats' ? '.' : '/',
      }
    : undefined;
  return {
    name: topic,
    ...(broker && {
      broker: {
        name: t.broker!,
        address: address!,
        ...(protocolOf(address!) !== 'nats' && { version: VERSIONS[broker.version ?? '5'] }),
      },
    }),
    address: family ? addressOf(family, {}) : template,
    ...(family && { family }),
    form: t.form ?? 'plain',
    qos: t.qos ?? 1,
    retain: t.retain ?? false,
    keepEvents: t.keep?.events ?? 1000,
    keepMs: (t.keep?.seconds ?? 600) * 1000,
    mediaType: 'application/json',
    source: `/${encodeURIComponent(document.api.name)}`,
  };
}

/** Names of the parameters of a topic. */
export const topicParameters = (name: string, t: TopicDocument): string[] => parameterNames(t.address ?? name);

export const channelPath = (name: string, t: TopicDocument): string =>
  t.door?.path ??
  `/${[name, ...(t.address === undefined ? [] : parameterNames(t.address).map((p) => `{${p}}`))].join('/')}`;

export const topicPointer = (name: string): string => `/topics/${escapePointer(name)}`;
