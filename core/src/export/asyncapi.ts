import { BATCH, STRUCTURED } from '../events/event';
import { parameterNames } from '../events/family';
import { channelPath, type TopicDocument } from '../events/topic';
import { HingeError } from '../problem';
import type { FlowDocument } from '../flow/document';
import type { JsonSchema } from '../schema';
import { outward } from './openapi';

/**
 * The topics of an API as callers see them, an AsyncAPI 3.0.0 document: channels are paths below the doors that answer events, by HTTP. The gateway is
 * the application: it receives what callers POST, and sends what they listen to. Plain JSON.
 */
export function exportAsyncApi(document: FlowDocument, options: { server?: string } = {}): Record<string, unknown> {
  const doors = document.doors.filter((d) => d.answers === 'events');
  if (!doors.length || !Object.keys(document.topics ?? {}).length)
    throw new HingeError('HNG-129', `${document.api.name} has no door that answers events, or no topic behind it`);
  const server = options.server === undefined ? undefined : new URL(options.server);
  const channels: Record<string, unknown> = {};
  const operations: Record<string, unknown> = {};
  const messages: Record<string, unknown> = {};
  for (const [name, topic] of Object.entries(document.topics ?? {})) {
    messages[name] = messageOf(name, topic);
    for (const door of doors) {
      const id = doors.length === 1 ? name : `${door.name}.${name}`;
      channels[id] = {
        address: `${door.path.replace(/\/$/, '')}${channelPath(name, topic)}`,
        title: topic.title ?? name,
        ...(topic.description && { description: topic.description }),
        ...parametersOf(name, topic),
        messages: { event: { $ref: `#/components/messages/${name}` } },
      };
      const operation = (action: 'send' | 'receive', method: 'GET' | 'POST', summary: string) => ({
        action,
        channel: { $ref: `#/channels/${id}` },
        summary,
        messages: [{ $ref: `#/channels/${id}/messages/event` }],
        bindings: { http: { method, bindingVersion: '0.3.0' } },
      });
      const title = topic.title ?? name;
      if (topic.door?.publish !== false)
        operations[`publish.${id}`] = operation('receive', 'POST', `Publish to ${title}`);
      if (topic.door?.listen !== false)
        operations[`listen.${id}`] = operation(
          'send',
          'GET',
          `Listen to ${title}: as text/event-stream, by ?wait=SECONDS, or by a WebSocket`,
        );
    }
  }
  return {
    asyncapi: '3.0.0',
    info: {
      title: document.api.name,
      version: document.api.version,
      ...(document.api.description && { description: document.api.description }),
    },
    ...(server && { servers: { gateway: { host: server.host, protocol: server.protocol.replace(':', '') } } }),
    defaultContentType: 'application/json',
    channels,
    operations,
    components: {
      messages,
      schemas: Object.fromEntries(Object.entries(document.types ?? {}).map(([n, s]) => [n, outward(s)])),
    },
  };
}

/** "Parameter Object" of 3.0. */
function parametersOf(name: string, topic: TopicDocument): Record<string, unknown> {
  const names = parameterNames(channelPath(name, topic));
  if (!names.length) return {};
  const said = names.map((n) => {
    const { description, values, example } = topic.parameters?.[n] ?? {};
    return [
      n,
      { ...(description && { description }), ...(values && { enum: values }), ...(example && { examples: [example] }) },
    ] as const;
  });
  return { parameters: Object.fromEntries(said) };
}

function messageOf(name: string, topic: TopicDocument): Record<string, unknown> {
  const schema = topic.schema && outward(topic.schema as JsonSchema);
  const events = topic.form === 'cloudevents';
  return {
    name,
    title: topic.title ?? name,
    contentType: events ? STRUCTURED : 'application/json',
    ...(events && { description: `CloudEvents 1.0; POST takes the data alone as application/json, or ${BATCH}, too.` }),
    ...(events ? { payload: envelope(schema) } : schema && { payload: schema }),
  };
}

/** CloudEvents 1.0 §3.1: what every event has, around its data. */
const envelope = (data: JsonSchema | undefined): JsonSchema => ({
  type: 'object',
  properties: {
    specversion: { type: 'string', const: '1.0' },
    id: { type: 'string', minLength: 1 },
    source: { type: 'string', minLength: 1, format: 'uri-reference' },
    type: { type: 'string', minLength: 1 },
    subject: { type: 'string' },
    time: { type: 'string', format: 'date-time' },
    datacontenttype: { type: 'string' },
    ...(data && { data }),
  },
  required: ['specversion', 'id', 'source', 'type'],
});
