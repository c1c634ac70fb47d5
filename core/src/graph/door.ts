import { readJson, JsonError } from '../codec/json';
import type { Delivery } from '../events/ports';
import { EventStream, SSE, sse, STREAM, streamOf } from '../events/stream';
import type { FlowDocument, OperationDocument } from '../flow/document';
import type { CompiledStep, Run } from '../flow/run';
import type { FieldGuard } from '../guards/compile';
import { Body } from '../message/body';
import { essence } from '../message/headers';
import { lower } from '../message/digits';
import type { Message } from '../message/message';
import { Refusal } from '../problem';
import type { BackendContext } from '../steps/kind';
import type { GraphRequest, GraphResult } from './execute';
import { GraphService, resultText, type GraphSubscription } from './service';
import { GRAPH_SOCKET } from './protocol';
import { GraphTalk } from './socket';

/** The way into a graph by HTTP (GraphQL over HTTP, draft of 2025: GET §5.2, POST §5.3, media types and statuses §6.4). */

const OWN = 'application/graphql-response+json';
const PLAIN = 'application/json';

export interface GraphEntry {
  readonly id: string;
  readonly operation: OperationDocument;
  readonly flow: readonly CompiledStep[];
  /** Set where the reply may be a stream. */
  readonly streams?: true;
}

/** What callers see of a graph: one path, POST and GET; by GET it becomes a WebSocket too. */
export function graphEntries(
  document: FlowDocument,
  guards: ReadonlyMap<string, FieldGuard>,
  door: string,
  behind?: BackendContext,
): GraphEntry[] {
  const service = new GraphService(document, guards, door, behind);
  const step: CompiledStep = {
    kind: 'graph',
    at: '/0',
    async run(run) {
      const { headers } = run.firstMessage;
      if (headers.upgrade?.toLowerCase() === 'websocket') {
        run.message = socketOf(run, service);
        return;
      }
      const request = await requestOf(run, service);
      const own = acceptsOwn(headers.accept);
      const read = service.read(request);
      if ('errors' in read) {
        run.message = answer({ errors: read.errors.map((e) => e.toJSON()) }, own ? 400 : 200, own);
        return;
      }
      if (read.kind === 'mutation' && run.request.method === 'GET')
        throw new Refusal('HNG-402', { detail: 'A mutation is sent by POST.', headers: { allow: 'POST' } });
      const stream = headers.accept?.toLowerCase().includes(STREAM) ?? false;
      if (read.kind === 'subscription') {
        if (!stream)
          throw new Refusal('HNG-408', {
            detail: `A subscription is answered as ${STREAM}, or over a WebSocket with ${GRAPH_SOCKET}.`,
          });
        const subscription = await service.subscribe(run, read, request, headers['last-event-id']);
        run.message = streamOf(streamFor(subscription), false);
        return;
      }
      const result = await service.answer(run, read, request);
      run.message = answer(result, own && !('data' in result) ? (result.status ?? 400) : 200, own);
    },
  };
  const operation = (method: 'GET' | 'POST'): OperationDocument => ({
    method,
    path: '/',
    summary: 'The graph',
    flow: [],
  });
  return [
    { id: 'graph', operation: operation('POST'), flow: [step] },
    { id: 'graph', operation: operation('GET'), flow: [step], streams: true },
  ];
}

/** GraphQL over Server-Sent Events, one stream for one operation (its text is public; from memory): next for each result, complete at the end. */
function streamFor({ listener, result }: GraphSubscription): EventStream {
  const text = async (d: Delivery) => {
    const made = await result(d);
    // A backend may give its results no ids.
    return made && sse(('event' in d && d.event.id) || undefined, 'next', resultText(made));
  };
  return new EventStream(listener, text, { ...SSE, tail: sse(undefined, 'complete', '') });
}

function socketOf(run: Run, service: GraphService): Message {
  const offered = (run.firstMessage.headers['sec-websocket-protocol'] ?? '').split(',').map((p) => p.trim());
  if (!offered.includes(GRAPH_SOCKET))
    throw new Refusal('HNG-403', { detail: `A WebSocket is opened here with the subprotocol ${GRAPH_SOCKET}.` });
  // What one operation does to its run is nothing to the others.
  const own = run.apart();
  return streamOf(
    new GraphTalk(
      service,
      () => own.apart(),
      (payload) => requestFrom(payload, service),
    ),
    true,
  );
}

function answer(result: GraphResult, status: number, own: boolean): Message {
  const mediaType = own ? `${OWN}; charset=utf-8` : `${PLAIN}; charset=utf-8`;
  return {
    status,
    headers: { 'content-type': mediaType },
    body: Body.ofText(resultText(result), mediaType),
    format: 'JSON',
  };
}

/** A client that names the media type of the draft gets it; one that does not is an older one. */
const acceptsOwn = (accept: string | undefined): boolean => accept?.toLowerCase().includes(OWN) ?? false;

const wrong = (words: string) =>
  new Refusal('HNG-403', { detail: words, errors: [{ pointer: '', code: 'graphql', detail: words }] });

async function requestOf(run: Run, service: GraphService): Promise<GraphRequest> {
  const parse = (text: string, what: string): unknown => {
    try {
      return lower(readJson(text));
    } catch (error) {
      if (error instanceof JsonError)
        throw wrong(`${what} is not JSON: ${error.message} at character ${error.position + 1}.`);
      throw error;
    }
  };
  let given: Record<string, unknown>;
  if (run.request.method === 'GET') {
    const search = new URLSearchParams(run.request.search);
    const variables = search.get('variables');
    given = {
      query: search.get('query') ?? undefined,
      documentId: search.get('documentId') ?? undefined,
      operationName: search.get('operationName') ?? undefined,
      variables: variables ? parse(variables, 'variables') : undefined,
    };
  } else {
    const type = run.message.headers['content-type'];
    if (type === undefined || essence(type) !== PLAIN)
      throw new Refusal('HNG-406', { detail: `The body must be ${PLAIN}; it is ${type ?? 'of no type'}.` });
    await run.message.body.load();
    return requestFrom(parse(run.message.body.text(), 'The body'), service);
  }
  return requestFrom(given, service);
}

/** The members of a request (GraphQL over HTTP §5.1). Throws Refusal. */
async function requestFrom(value: unknown, service: GraphService): Promise<GraphRequest> {
  if (value === null || typeof value !== 'object' || Array.isArray(value))
    throw wrong('The body must be an object with query.');
  const given = value as Record<string, unknown>;
  const { variables, operationName, documentId } = given;
  if (documentId !== undefined && typeof documentId !== 'string') throw wrong('documentId must be a text.');
  if (documentId !== undefined && given.query !== undefined)
    throw wrong('query and documentId exclude each other: send one of them.');
  const query = documentId === undefined ? given.query : await service.kept.textOf(documentId);
  if (documentId !== undefined && query === undefined) throw wrong(`There is no query ${documentId} here.`);
  if (typeof query !== 'string' || !query.trim()) throw wrong('query is missing: the text of a GraphQL document.');
  if (variables !== undefined && variables !== null && (typeof variables !== 'object' || Array.isArray(variables)))
    throw wrong('variables must be an object.');
  if (operationName !== undefined && operationName !== null && typeof operationName !== 'string')
    throw wrong('operationName must be a text.');
  return {
    query,
    ...(variables ? { variables: variables as Record<string, unknown> } : {}),
    ...(operationName ? { operationName } : {}),
  };
}
