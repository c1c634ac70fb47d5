import { writeJson } from '../codec/json';
import type { Names } from '../expression/operators';
import type { Identity, Run } from '../flow/run';
import { Body } from '../message/body';
import { isJson } from '../message/headers';
import { runnable } from '../steps/expression';
import { attributesOf, type TopicEvent } from './event';
import type { Delivery } from './ports';
import type { TopicDocument } from './topic';

/** What one listener gets of a delivery: filtered and mapped as the topic's door says; undefined: nothing. */
export type Shape = (d: Delivery) => Promise<Delivery | undefined>;

/** Who listens, as filters and maps see it. Plain data: a subscription outlives the request that began it. */
export interface ShapeContext {
  readonly identity?: Identity;
  /** Query string, with "?", or empty. */
  readonly search: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly env: Readonly<Record<string, unknown>>;
}

export const shapeContext = (run: Run): ShapeContext => ({
  ...(run.identity && { identity: run.identity }),
  search: run.request.search,
  headers: run.request.message.headers,
  env: run.env,
});

export function shaperOf(topic: TopicDocument): (context: ShapeContext) => Shape {
  const where = topic.door?.where === undefined ? undefined : runnable(topic.door.where);
  const data = topic.door?.data === undefined ? undefined : runnable(topic.door.data);
  return (context) => async (d) => {
    if ('gap' in d || (!where && !data)) return d;
    const scope = new EventScope(context, d.event);
    if (where && !holds(await where.evaluate(scope))) return undefined;
    if (!data) return d;
    const value: unknown = await data.evaluate(scope);
    return { event: { ...d.event, data: Body.ofText(writeJson(value ?? null), 'application/json') } };
  };
}

/** A list holds where it has items, as paths of a filter give them. */
export const holds = (v: unknown): boolean => (Array.isArray(v) ? v.length > 0 : Boolean(v));

/** What filters and maps of a channel see: the event, and who listens. */
class EventScope implements Names {
  readonly isNames = true;
  readonly names = ['body', 'event', 'parameters', 'app', 'plan', 'query', 'headers', 'env'];

  constructor(
    private readonly context: ShapeContext,
    private readonly event: TopicEvent,
  ) {}

  read(name: string): unknown {
    switch (name) {
      case 'body':
        return isJson(this.event.data.mediaType) ? this.event.data.value() : this.event.data.text();
      case 'event':
        return attributesOf(this.event);
      case 'parameters':
        return this.event.parameters;
      case 'app':
        return this.context.identity?.app;
      case 'plan':
        return this.context.identity?.plan;
      case 'query':
        return Object.fromEntries(new URLSearchParams(this.context.search));
      case 'headers':
        return this.context.headers;
      case 'env':
        return this.context.env;
      default:
        return undefined;
    }
  }
}
