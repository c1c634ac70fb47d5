import { compileExpression, type ExpressionError } from '../expression';
import type { FlowDocument } from '../flow/document';
import { finding, type Finding } from '../problem';
import { topicPointer } from './door';
import { channelPath, topicRef } from './topic';

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
        else if (ref.broker && !/^(mqtts?|tcp|ssl):\/\/[^\s/]+/.test(ref.broker.address))
          report(
            finding(
              'HNG-301',
              `"${ref.broker.address}" is no mqtt address of the broker ${topic.broker!}`,
              { pointer: `/brokers/${topic.broker!}` },
              'Write mqtt://host:port or mqtts://host:port.',
            ),
          );
      }
    for (const part of ['where', 'data'] as const) {
      const source = topic.door?.[part];
      if (source === undefined) continue;
      try {
        compileExpression(source);
      } catch (error) {
        const x = error as ExpressionError;
        report(
          finding('HNG-304', `"${source}": ${x.message}`, { pointer: `${pointer}/door/${part}`, position: x.position }),
        );
      }
    }
    if (!events) continue;
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
    const other = paths.get(path);
    if (other !== undefined)
      report(
        finding('HNG-305', `the topics ${other} and ${name} both have the path ${path}`, {
          pointer: `${pointer}/door/path`,
        }),
      );
    else paths.set(path, name);
  }
  if (events && !topics.length)
    report(finding('HNG-328', 'a door answers events, and there is no topic', { pointer: '/doors' }));
}
