import type { Message } from '../message/message';
import type { InputFault } from '../problem';
import type { Incoming } from './compile';
import type { compileParameters } from './parameters';
import type { FlowRequest } from './run';

/** A path template with the values of its parameters, each percent-encoded as one segment. */
export const filledPath = (template: string, values: Readonly<Record<string, unknown>>): string =>
  template.replace(/\{([^}]*)\}/g, (_m, name: string) => encodeURIComponent(String(values[name] ?? '')));

/** What came in, as a flow sees it, with the parameters that do not fit their schemas. */
export function flowRequest(
  incoming: Incoming,
  parse: ReturnType<typeof compileParameters>,
): { request: FlowRequest; faults: readonly InputFault[] } {
  const parsed = parse(incoming.path, incoming.query, incoming.headers);
  const message: Message = {
    method: incoming.method,
    path: incoming.url + incoming.search,
    headers: incoming.headers,
    body: incoming.body,
    format:
      incoming.body.mediaType === undefined
        ? undefined
        : /json/i.test(incoming.body.mediaType)
          ? 'JSON'
          : incoming.body.mediaType,
  };
  const request: FlowRequest = {
    message,
    method: incoming.method,
    path: parsed.path,
    query: parsed.query,
    cookies: parsed.cookie,
    headerParameters: parsed.header,
    rest: incoming.rest,
    below: incoming.below,
    search: incoming.search,
    remote: incoming.remote,
    secure: incoming.secure,
    certificate: incoming.certificate,
  };
  return { request, faults: parsed.faults };
}
