import { decoded } from '../message/percent';
import { endToEnd } from '../message/hop';
import { queryValues } from '../message/query';
import { Refusal } from '../problem';
import type { CallContext, CompiledApi, Incoming } from './compile';
import { filledPath } from './incoming';
import type { RunMore } from './run';

/** Calls from flow to flow may nest so deep; a circle ends here at the latest. */
const DEEPEST = 16;

/**
 * Runs operations inside the gateway. With arguments that a map made, the operation is called as from outside, but without doors; without them the
 * request goes on as it is, as if the steps of the other flow stood here.
 */
export function innerRunner(context: CallContext, self: () => CompiledApi | undefined): NonNullable<RunMore['inner']> {
  return async (call) => {
    const depth = (context.depth ?? 0) + 1;
    if (depth > DEEPEST)
      throw new Refusal('HNG-424', {
        detail: 'The flow calls itself too often.',
        inner: `${call.operation} at ${call.at} is call ${depth} from flow to flow`,
      });
    const api = call.api === undefined ? self() : context.apis?.(call.api);
    const operation = api?.inside.get(call.operation);
    if (!operation)
      throw new Refusal('HNG-420', {
        detail: 'A step of the flow failed. The trace says which.',
        inner: `there is no operation ${call.operation}${call.api === undefined ? '' : ` of ${call.api}`} in this gateway`,
      });
    const prefix = `${context.prefix ?? ''}${call.at}/inner`;
    if (!call.made && call.api === undefined) {
      const fork = call.run.forInner(prefix, innerRunner({ ...context, depth, prefix }, self));
      const before = fork.backendMs;
      await operation.continueWith(fork);
      Object.assign(call.run.vars, fork.vars);
      return { reply: fork.message, backendMs: fork.backendMs - before };
    }
    const { message } = call;
    const [url = '/', search = ''] = splitQuery(message.path ?? operation.path);
    const values = pathValues(operation.path, url);
    const incoming: Incoming = {
      method: operation.method === 'ANY' ? (message.method ?? 'GET') : operation.method,
      url,
      path: values,
      query: queryValues(search),
      search,
      rest: '',
      below: call.made ? url : filledPath(operation.path, values),
      headers: endToEnd(message.headers),
      body: message.body,
    };
    return operation.handle(incoming, {
      api: context.api,
      ports: context.ports,
      environment: context.environment,
      env: context.env,
      traceId: context.traceId,
      outbound: context.outbound,
      rehearsed: context.rehearsed,
      apis: context.apis,
      // A run that nobody watches calls nothing that is watched.
      observer: call.run.observer,
      identity: call.run.identity,
      depth,
      budget: call.run.budget,
      prefix,
      trail: call.run.more.trail,
    });
  };
}

function splitQuery(path: string): [string, string] {
  const cut = path.indexOf('?');
  return cut < 0 ? [path, ''] : [path.slice(0, cut), path.slice(cut)];
}

/** Values of a path by the names in its template. */
const matchers = new Map<string, { readonly pattern: RegExp; readonly names: readonly string[] }>();
const MOST_MATCHERS = 5000;

function matcherFor(template: string) {
  let made = matchers.get(template);
  if (made) return made;
  const names: string[] = [];
  const pattern = template
    .split(/(\{[^}]*\})/)
    .map((part) => {
      if (!part.startsWith('{')) return part.replace(/[.*+?^$()|[\]\\]/g, '\\$&');
      names.push(part.slice(1, -1));
      return '([^/]*)';
    })
    .join('');
  if (matchers.size >= MOST_MATCHERS) matchers.clear();
  matchers.set(template, (made = { pattern: new RegExp(`^${pattern}$`), names }));
  return made;
}

function pathValues(template: string, url: string): Record<string, string> {
  const { pattern, names } = matcherFor(template);
  const m = names.length ? pattern.exec(url) : null;
  const out: Record<string, string> = {};
  for (let i = 0; i < names.length; i++) out[names[i]!] = decoded(m?.[i + 1] ?? '');
  return out;
}
