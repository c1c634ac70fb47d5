import { readJson, writeJson, JsonError } from '../codec/json';
import type { FlowDocument, OperationDocument } from '../flow/document';
import type { CompiledStep, InnerEnd, Run } from '../flow/run';
import type { FieldGuard } from '../guards/compile';
import { Body } from '../message/body';
import { essence } from '../message/headers';
import { lower } from '../message/digits';
import type { Message } from '../message/message';
import { problemOf, Refusal } from '../problem';
import { GraphQLError } from 'graphql';
import { executeGraph, GRAPH_LIMITS, type GraphRequest, type GraphResult } from './execute';
import { KeptQueries } from './kept';
import { graphOf, type GraphCall, type GraphContext, type GraphReply } from './graph';

/** The way into a graph by HTTP (GraphQL over HTTP, draft of 2025: GET §5.2, POST §5.3, media types and statuses §6.4). */

const OWN = 'application/graphql-response+json';
const PLAIN = 'application/json';

export interface GraphEntry {
  readonly id: string;
  readonly operation: OperationDocument;
  readonly flow: readonly CompiledStep[];
}

/** What callers see of a graph: one path, POST and GET. */
export function graphEntries(document: FlowDocument, guards: ReadonlyMap<string, FieldGuard>): GraphEntry[] {
  const { schema } = graphOf(document);
  const kept = new KeptQueries(schema, { ...GRAPH_LIMITS, ...document.graph?.limits }, document.graph);
  const step: CompiledStep = {
    kind: 'graph',
    at: '/0',
    async run(run) {
      const request = await requestOf(run, kept);
      const own = acceptsOwn(run.firstMessage.headers.accept);
      const read = kept.allows(request.query) ? kept.readRequest(request) : NOT_KEPT;
      if ('errors' in read) {
        run.message = answer({ errors: read.errors.map((e) => e.toJSON()) }, own ? 400 : 200, own);
        return;
      }
      if (read.kind === 'mutation' && run.request.method === 'GET')
        throw new Refusal('HNG-402', { detail: 'A mutation is sent by POST.', headers: { allow: 'POST' } });
      const context = new Calls(run, document, guards, read.kind === 'query');
      const result = await executeGraph(schema, read.document, request, context);
      run.notes = {
        ...run.notes,
        calls: context.count,
        saved: context.saved,
        ...(run.observer && { made: context.made }),
      };
      run.message = answer(result, own && !('data' in result) ? 400 : 200, own);
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
    { id: 'graph', operation: operation('GET'), flow: [step] },
  ];
}

const NOT_KEPT = {
  errors: [new GraphQLError('Only queries that are kept here are answered; name one by documentId.')],
};

function answer(result: GraphResult, status: number, own: boolean): Message {
  const mediaType = own ? `${OWN}; charset=utf-8` : `${PLAIN}; charset=utf-8`;
  return {
    status,
    headers: { 'content-type': mediaType },
    body: Body.ofText(
      writeJson({ ...('data' in result && { data: result.data }), ...(result.errors && { errors: result.errors }) }),
      mediaType,
    ),
    format: 'JSON',
  };
}

/** A client that names the media type of the draft gets it; one that does not is an older one. */
const acceptsOwn = (accept: string | undefined): boolean => accept?.toLowerCase().includes(OWN) ?? false;

async function requestOf(run: Run, kept: KeptQueries): Promise<GraphRequest> {
  const wrong = (words: string) =>
    new Refusal('HNG-403', { detail: words, errors: [{ pointer: '', code: 'graphql', detail: words }] });
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
    const value = parse(run.message.body.text(), 'The body');
    if (value === null || typeof value !== 'object' || Array.isArray(value))
      throw wrong('The body must be an object with query.');
    given = value as Record<string, unknown>;
  }
  const { variables, operationName, documentId } = given;
  if (documentId !== undefined && typeof documentId !== 'string') throw wrong('documentId must be a text.');
  if (documentId !== undefined && given.query !== undefined)
    throw wrong('query and documentId exclude each other: send one of them.');
  const query = documentId === undefined ? given.query : await kept.textOf(documentId);
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

/** One call of an operation, for the fields that asked for it. Times in milliseconds, as Clock.now gives them. */
export interface GraphCallMade {
  readonly operation: string;
  readonly fields: string[];
  readonly startMs: number;
  ms: number;
  status: number;
}

/** Calls of one request. In a query the same call is made once. */
class Calls implements GraphContext {
  count = 0;
  /** Calls that were not made because another had asked the same. */
  saved = 0;
  /** What was called, in order: the n-th stands at /0/calls/n among the steps. */
  readonly made: GraphCallMade[] = [];
  private readonly known = new Map<string, { readonly reply: Promise<GraphReply>; readonly made: GraphCallMade }>();

  constructor(
    private readonly run: Run,
    private readonly document: FlowDocument,
    private readonly guards: ReadonlyMap<string, FieldGuard>,
    private readonly once: boolean,
  ) {}

  call(call: GraphCall, field: string): Promise<GraphReply> {
    const key = JSON.stringify([call.operation, call.path, call.query, call.headers, call.body]);
    const found = this.once ? this.known.get(key) : undefined;
    if (found) {
      this.saved++;
      if (!found.made.fields.includes(field)) found.made.fields.push(field);
      return found.reply;
    }
    const { clock } = this.run.ports;
    const made: GraphCallMade = { operation: call.operation, fields: [field], startMs: clock.now(), ms: 0, status: 0 };
    this.made.push(made);
    const reply = this.send(call).then((r) => {
      made.ms = clock.now() - made.startMs;
      made.status = r.status;
      return r;
    });
    if (this.once) this.known.set(key, { reply, made });
    return reply;
  }

  private async send(call: GraphCall): Promise<GraphReply> {
    const { run } = this;
    const n = this.count++;
    const operation = this.document.operations[call.operation]!;
    const message = messageOf(operation, call);
    const own = run.fork();
    const guard = this.guards.get(call.operation);
    if (guard) {
      // Its guards see what the caller sent, keys included; the operation does not.
      const seen = asCalled(run, message, call);
      try {
        await guard(seen);
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        return { status: error.status, value: problemOf(error, message.path ?? '/', run.more.traceId ?? '') };
      }
      own.identity = seen.identity;
    }
    const inner: InnerEnd = await run.more.inner!({
      operation: call.operation,
      message,
      run: own,
      at: `/0/calls/${n}`,
      made: true,
    });
    run.backendMs += inner.backendMs;
    await inner.reply.body.load();
    const type = inner.reply.headers['content-type'] ?? '';
    const value = inner.reply.body.isEmpty
      ? undefined
      : /json/i.test(type)
        ? inner.reply.body.value()
        : inner.reply.body.text();
    return { status: inner.reply.status ?? 200, value };
  }
}

/** The caller's request as a call of one operation: its credentials and address, the message and values of the call. */
function asCalled(run: Run, message: Message, call: GraphCall): Run {
  const { came } = run;
  const { 'content-length': _length, 'transfer-encoding': _coding, ...headers } = came.message.headers;
  const own: Message = { ...message, headers: { ...headers, ...message.headers } };
  const seen = run.fork(own);
  seen.request = { ...came, message: own, method: message.method ?? 'GET', path: call.path, query: call.query };
  // What one field has left is nothing that the whole reply could say.
  seen.replyHeaders = {};
  return seen;
}

/** The request of an operation as a caller would send it. */
function messageOf(operation: OperationDocument, call: GraphCall): Message {
  const text = (v: unknown): string => (typeof v === 'object' ? JSON.stringify(v) : String(v));
  const path = operation.path.replace(/\{([^}]*)\}/g, (_m, name: string) =>
    encodeURIComponent(text(call.path[name] ?? '')),
  );
  const search = new URLSearchParams();
  for (const [name, value] of Object.entries(call.query))
    for (const v of Array.isArray(value) ? value : [value]) search.append(name, text(v));
  const query = search.toString();
  const headers: Record<string, string> = { accept: PLAIN };
  for (const [name, value] of Object.entries(call.headers)) headers[name.toLowerCase()] = text(value);
  const mediaType = operation.request?.mediaType ?? PLAIN;
  if (call.body !== undefined) headers['content-type'] = PLAIN;
  return {
    method: operation.method,
    path: query ? `${path}?${query}` : path,
    headers,
    body:
      call.body === undefined
        ? Body.empty()
        : Body.ofText(writeJson(call.body), /json/i.test(mediaType) ? mediaType : PLAIN),
    format: 'JSON',
  };
}
