import { compileExpression, type ExpressionError } from '../expression';
import type { FlowDocument } from '../flow/document';
import { finding, type Finding } from '../problem';
import { protocolOf, type TopicRef } from './ports';
import { withoutParameters } from './family';
import { checkFamily, checkParameters } from './parameters';
import { channelPath, topicParameters, topicPointer, topicRef } from './topic';

/** Where subscribers ask a door to call them back; hub-door.ts serves it. */
const HUB = '/hub';

/** Findings about topics and brokers. */
export function checkTopics(
  document: FlowDocument,
  environments: readonly string[] | undefined,
  report: (f: Finding) => void,
): void {
  const topics = Object.entries(document.topics ?? {});
  const events = document.doors.some((d) => d.answers === 'events');
  const paths = new Map<string, string>();
  const called = document.doors.some((d) => d.answers === 'events' && d.webhooks);
  for (const [name, topic] of topics) {
    const pointer = topicPointer(name);
    if (topic.broker !== undefined && !document.brokers?.[topic.broker])
      report(
        finding('HNG-328', `the topic ${name} names the broker ${topic.broker}`, { pointer: `${pointer}/broker` }),
      );
    else
      for (const environment of environments?.length ? environments : [undefined]) {
        const ref = topicRef(document, name, environment);
        if (typeof ref === 'string')
          report(finding('HNG-301', ref, { pointer: `/brokers/${topic.broker!}` }, 'Give the broker an address.'));
        else if (ref.broker && !protocolOf(ref.broker.address))
          report(
            finding(
              'HNG-301',
              `"${ref.broker.address}" is no address of a broker that can be spoken to here (${topic.broker!})`,
              { pointer: `/brokers/${topic.broker!}` },
              'Write mqtt://host:port or mqtts://host:port, for NATS nats://host:port or tls://host:port.',
            ),
          );
        else if (ref.broker && protocolOf(ref.broker.address) === 'nats') checkNats(name, ref, report);
      }
    checkFamily(name, topic, events, report);
    for (const part of ['where', 'data'] as const) expressionAt(topic.door?.[part], `${pointer}/door/${part}`, report);
    const { callback } = topic.door ?? {};
    for (const part of ['where', 'data'] as const)
      expressionAt(callback?.[part], `${pointer}/door/callback/${part}`, report);
    if (!events) continue;
    if (callback) {
      const taken = paths.get(callback.path);
      if (taken !== undefined || (called && callback.path === HUB))
        report(
          finding('HNG-305', `the callback of ${name} and ${taken ?? 'the hub'} both have the path ${callback.path}`, {
            pointer: `${pointer}/door/callback/path`,
          }),
        );
      else paths.set(callback.path, `the callback of ${name}`);
    }
    const path = channelPath(name, topic);
    if (called && path === HUB)
      report(
        finding(
          'HNG-305',
          `the topic ${name} and the hub of a door with webhooks both have the path ${HUB}`,
          { pointer: `${pointer}/door/path` },
          'Give the topic another path.',
        ),
      );
    const shape = path.replace(/\{[^}]*\}/g, '{}');
    const other = paths.get(shape);
    if (other !== undefined)
      report(
        finding('HNG-305', `the topics ${other} and ${name} both have the path ${path}`, {
          pointer: `${pointer}/door/path`,
        }),
      );
    else paths.set(shape, name);
  }
  if (events && !topics.length)
    report(finding('HNG-328', 'a door answers events, and there is no topic', { pointer: '/doors' }));
}

/** What MQTT has and NATS has not. */
function checkNats(name: string, ref: TopicRef, report: (f: Finding) => void): void {
  const pointer = topicPointer(name);
  const address = ref.family?.template ?? ref.address;
  if (/[\s*>]|^\.|\.\.|\.$/.test(withoutParameters(address)))
    report(
      finding(
        'HNG-334',
        `"${address}", the address of the topic ${name}, is no subject of NATS`,
        { pointer: `${pointer}/address` },
        'Write words with dots between them, without spaces, * and >.',
      ),
    );
  if (ref.retain)
    report(
      finding(
        'HNG-334',
        `the topic ${name} is to be retained, and NATS keeps no last message for a subject`,
        { pointer: `${pointer}/retain` },
        'Leave retain out; a stream of the server keeps what is to be kept.',
      ),
    );
}

function expressionAt(source: string | undefined, pointer: string, report: (f: Finding) => void): void {
  if (source === undefined) return;
  try {
    compileExpression(source);
  } catch (error) {
    const x = error as ExpressionError;
    report(finding('HNG-304', `"${source}": ${x.message}`, { pointer, position: x.position }));
  }
}

/** Findings about what runs without a caller. */
export function checkBackground(document: FlowDocument, report: (f: Finding) => void): void {
  const topicAt = (topic: string | undefined, who: string, pointer: string): void => {
    if (topic !== undefined && !document.topics?.[topic])
      report(finding('HNG-328', `${who} names the topic ${topic}`, { pointer }));
  };
  /** `given`: what the operation gets for the parameters of its path. */
  const operationAt = (id: string, who: string, pointer: string, given: readonly string[] = []) => {
    const o = document.operations[id];
    if (!o) report(finding('HNG-302', `${who} names the operation ${id}, which does not exist`, { pointer }));
    const needed = (o?.parameters ?? [])
      .filter((p) => (p.in === 'path' ? !given.includes(p.name) : p.required))
      .map((p) => p.name);
    if (needed.length)
      report(
        finding(
          'HNG-302',
          `${who} cannot give ${id} what it needs: ${needed.join(', ')}`,
          { pointer },
          'Name an operation that takes the event as its body, and needs no other parameter than those of the topic in its path.',
        ),
      );
    return o;
  };
  const parametersOf = (topic: string | undefined): string[] => {
    const t = topic === undefined ? undefined : document.topics?.[topic];
    return t ? topicParameters(topic!, t) : [];
  };
  for (const [name, c] of Object.entries(document.consumers ?? {})) {
    const pointer = `/consumers/${name}`;
    topicAt(c.topic, `the consumer ${name}`, `${pointer}/topic`);
    topicAt(c.dead, `the consumer ${name}`, `${pointer}/dead`);
    if (c.dead === c.topic)
      report(
        finding('HNG-328', `the consumer ${name} lays events aside in the topic that it takes them from`, {
          pointer: `${pointer}/dead`,
        }),
      );
    operationAt(c.operation, `the consumer ${name}`, `${pointer}/operation`, parametersOf(c.topic));
    const own = parametersOf(c.topic);
    const more = parametersOf(c.dead).filter((n) => !own.includes(n));
    if (more.length)
      report(
        finding(
          'HNG-335',
          `the consumer ${name} lays events aside in ${c.dead!}, and has no value for ${more.join(', ')}`,
          { pointer: `${pointer}/dead` },
          'Lay them aside in a topic with the parameters of the one that they come from, or with none.',
        ),
      );
    expressionAt(c.where, `${pointer}/where`, report);
  }
  for (const [name, p] of Object.entries(document.polls ?? {})) {
    const pointer = `/polls/${name}`;
    topicAt(p.topic, `the poll ${name}`, `${pointer}/topic`);
    const o = operationAt(p.operation, `the poll ${name}`, `${pointer}/operation`);
    if (o && o.method !== 'GET' && o.method !== 'HEAD')
      report(
        finding('HNG-302', `the poll ${name} calls ${p.operation}, which is no safe operation`, {
          pointer: `${pointer}/operation`,
        }),
      );
    checkParameters(
      parametersOf(p.topic),
      p.parameters,
      `the poll ${name}`,
      (at) => ({ pointer: pointer + at }),
      report,
    );
    for (const [n, source] of Object.entries(p.parameters ?? {}))
      expressionAt(source, `${pointer}/parameters/${n}`, report);
    for (const part of ['items', 'key', 'version'] as const) expressionAt(p[part], `${pointer}/${part}`, report);
  }
}
