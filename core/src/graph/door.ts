import { readJson, writeJson, JsonError } from '../codec/json';
import type { FlowDocument, OperationDocument } from '../flow/document';
import type { CompiledStep, Run } from '../flow/run';
import type { FieldGuard } from '../guards/compile';
import { Body } from '../message/body';
import { essence } from '../message/headers';
import { lower } from '../message/digits';
import type { Message } from '../message/message';
import { Refusal } from '../problem';
import { GraphQLError } from 'graphql';
import { beyondCost, executeGraph, graphLimits, type GraphRequest, type GraphResult } from './execute';
import { KeptQueries } from './kept';
import { Calls } from './calls';
import { graphOf } from './graph';

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
  const limits = graphLimits(document);
  const kept = new KeptQueries(schema, limits, document.graph);
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
      const tooDear = beyondCost(read, request, limits);
      if (tooDear) {
        run.message = answer({ errors: [tooDear.toJSON()] }, own ? 400 : 200, own);
        return;
      }
      const context = new Calls(run, document, guards, read.kind === 'query');
      const result = await executeGraph(schema, read, request, context);
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
