import type { Run } from '../flow/run';
import { LIMITS } from '../limits';
import { Body } from '../message/body';
import { isJson } from '../message/headers';
import type { BackendContext } from '../steps/kind';
import { compileCaller } from '../steps/call/caller';
import { loadReply, textOf, unreadable } from '../steps/call/send';
import type { GraphRequest, GraphResult } from './execute';

/** Hands a checked request on to a GraphQL backend, and its data and errors back (GraphQL over HTTP, draft of 2025, §5.3). Throws Refusal. */
export function passOnTo(backend: BackendContext): (run: Run, request: GraphRequest) => Promise<GraphResult> {
  const call = compileCaller({ kind: 'call', backend: backend.name }, backend);
  const timeoutMs = backend.document.timeoutMs ?? LIMITS.callMs;
  return async (run, { query, variables, operationName }) => {
    const value = { query, ...(variables && { variables }), ...(operationName !== undefined && { operationName }) };
    const reply = await call(run, {
      url: (address) => address,
      method: 'POST',
      headers: {
        'content-type': 'application/json',
        accept: 'application/graphql-response+json, application/json;q=0.9',
        ...run.outbound,
      },
      body: Body.ofValue(value, 'application/json'),
      timeoutMs,
    });
    await loadReply(reply, backend, run);
    run.notes = { ...run.notes, status: reply.status };
    if (!isJson(reply.body.mediaType))
      throw unreadable(backend, `status ${reply.status} with content type ${reply.body.mediaType ?? '(none)'}`);
    const text = textOf(reply, backend);
    let answer: unknown;
    try {
      answer = Body.ofText(text, 'application/json').value();
    } catch (error) {
      throw unreadable(backend, `status ${reply.status}: ${(error as Error).message}`, error);
    }
    const { data, errors } = (answer ?? {}) as Record<string, unknown>;
    if (data === undefined && !Array.isArray(errors))
      throw unreadable(backend, `status ${reply.status}: the answer has neither data nor errors`);
    return { ...(data !== undefined && { data }), ...(Array.isArray(errors) && { errors }) };
  };
}
