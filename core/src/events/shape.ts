import { writeJson } from '../codec/json';
import type { Names } from '../expression/operators';
import type { Run } from '../flow/run';
import { Body } from '../message/body';
import { isJson } from '../message/headers';
import { runnable } from '../steps/expression';
import { attributesOf, type TopicEvent } from './event';
import type { Delivery } from './ports';
import type { TopicDocument } from './topic';

/** What one listener gets of a delivery: filtered and mapped as the topic's door says; undefined: nothing. */
export type Shape = (d: Delivery) => Promise<Delivery | undefined>;

export function shaperOf(topic: TopicDocument): (run: Run) => Shape {
  const where = topic.door?.where === undefined ? undefined : runnable(topic.door.where);
  const data = topic.door?.data === undefined ? undefined : runnable(topic.door.data);
  return (run) => async (d) => {
    if ('gap' in d || (!where && !data)) return d;
    const scope = new EventScope(run, d.event);
    if (where && !holds(await where.evaluate(scope))) return undefined;
    if (!data) return d;
    const value: unknown = await data.evaluate(scope);
    return { event: { ...d.event, data: Body.ofText(writeJson(value ?? null), 'application/json') } };
  };
}

const holds = (v: unknown): boolean => (Array.isArray(v) ? v.length > 0 : Boolean(v));

/** What filters and maps of a channel see: the event, and who listens. */
class EventScope implements Names {
  readonly isNames = true;
  readonly names = ['body', 'event', 'app', 'plan', 'query', 'headers', 'env'];

  constructor(
    private readonly run: Run,
    private readonly event: TopicEvent,
  ) {}

  read(name: string): unknown {
    switch (name) {
      case 'body':
        return isJson(this.event.data.mediaType) ? this.event.data.value() : this.event.data.text();
      case 'event':
        return attributesOf(this.event);
      case 'app':
        return this.run.identity?.app;
      case 'plan':
        return this.run.identity?.plan;
      case 'query':
        return Object.fromEntries(new URLSearchParams(this.run.request.search));
      case 'headers':
        return this.run.request.message.headers;
      case 'env':
        return this.run.env;
      default:
        return undefined;
    }
  }
}
