import { mediaCodec, type MediaCodec } from '../codec/media';
import { writeFault, writeSoap, soapMediaType } from '../codec/soap';
import { preferredMedia, type ContractOperation } from '../contract';
import { Body } from '../message/body';
import { isMultipart } from '../message/headers';
import { replySide, replyTypes, type TypeTable } from '../schema';
import { escapeText } from '../xml';
import { writeMessageElement } from '../codec/xml';
import { openBackends } from './contracts';
import type { CaseDocument, FlowDocument } from './document';
import { BackendFailure, type BackendReply, type BackendRequest, type Backends } from './ports';

type Stub = NonNullable<CaseDocument['stubs']>[number];

/** Answers calls from stubs; what none of them answers goes to the real backends. */
export function stubbed(document: FlowDocument, stubs: readonly Stub[], next: Backends): Backends {
  if (!stubs.length) return next;
  const left = stubs.map((stub) => ({ stub, times: stub.times ?? Infinity }));
  const { contexts } = openBackends(document);
  return {
    async send(request) {
      const entry = left.find((e) => e.times > 0 && fits(e.stub, request));
      if (!entry) return next.send(request);
      entry.times--;
      const { stub } = entry;
      if (stub.delayMs) await delay(Math.min(stub.delayMs, request.timeoutMs));
      if ((stub.delayMs ?? 0) >= request.timeoutMs)
        throw new BackendFailure('timeout', `no answer within ${request.timeoutMs} ms (stub)`);
      if (stub.failure) throw new BackendFailure(stub.failure, `${stub.failure} (stub)`);
      const operation = contexts.get(request.backend)?.contract?.operations.find((o) => o.id === request.operation);
      return answer(stub, operation, contexts.get(request.backend)?.contract?.types ?? {});
    },
  };
}

function fits(stub: Stub, r: BackendRequest): boolean {
  if (stub.backend !== r.backend || (stub.operation !== undefined && stub.operation !== r.operation)) return false;
  if (stub.when?.path !== undefined && !r.url.endsWith(stub.when.path)) return false;
  return stub.when?.contains === undefined || (!r.body.pending && r.body.text().includes(stub.when.contains));
}

const delay = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

function answer(stub: Stub, operation: ContractOperation | undefined, types: TypeTable): BackendReply {
  const headers: Record<string, string> = {};
  for (const [k, v] of Object.entries(stub.headers ?? {})) headers[k.toLowerCase()] = v;
  const reply = (status: number, text: string | undefined, mediaType: string): BackendReply => {
    if (text === undefined) return { status: stub.status ?? status, headers, body: Body.empty() };
    headers['content-type'] ??= mediaType;
    return { status: stub.status ?? status, headers, body: Body.ofText(text, headers['content-type']) };
  };
  if (operation?.soap) return soapAnswer(stub, operation, reply);
  if (operation?.graphql) return graphqlAnswer(stub, operation, reply);
  const status = String(stub.status ?? firstGood(operation));
  const media = preferredMedia(operation?.http?.replies.find((r) => r.status === status)?.media ?? []);
  const mediaType =
    headers['content-type'] ?? media?.mediaType ?? (typeof stub.body === 'string' ? 'text/plain' : 'application/json');
  if (stub.body === undefined) return reply(Number(status), undefined, mediaType);
  const codec: MediaCodec | undefined =
    typeof stub.body === 'string' || isMultipart(mediaType)
      ? undefined
      : mediaCodec(mediaType, {
          schema: replySide(media?.schema, types),
          types: replyTypes(types),
          root: operation?.id ?? 'reply',
        });
  const text = codec
    ? codec.write(stub.body).text
    : typeof stub.body === 'string'
      ? stub.body
      : JSON.stringify(stub.body);
  return reply(Number(status), text, mediaType);
}

const firstGood = (operation: ContractOperation | undefined): number =>
  Number(operation?.http?.replies.map((r) => r.status).find((s) => /^2\d\d$/.test(s)) ?? 200);

/** What is given is the reply of the operation; a text is the whole answer, a fault an error of that code. */
function graphqlAnswer(
  stub: Stub,
  operation: ContractOperation,
  reply: (status: number, text: string | undefined, mediaType: string) => BackendReply,
): BackendReply {
  const { take } = operation.graphql!;
  const data = stub.fault ? null : (stub.body ?? null);
  const { name, reason } = stub.fault ?? {};
  const answer = {
    data: take === undefined ? data : { [take]: data },
    ...(stub.fault && {
      errors: [{ message: reason ?? name ?? 'fault', ...(name && { extensions: { code: name } }) }],
    }),
  };
  const text = typeof stub.body === 'string' ? stub.body : JSON.stringify(answer);
  return reply(stub.status ?? 200, text, 'application/graphql-response+json');
}

function soapAnswer(
  stub: Stub,
  operation: ContractOperation,
  reply: (status: number, text: string | undefined, mediaType: string) => BackendReply,
): BackendReply {
  const soap = operation.soap!;
  const mediaType = soapMediaType({ version: soap.version, action: '' });
  if (stub.fault) {
    const declared = soap.faults.find((f) => f.name === stub.fault!.name);
    const detail = declared
      ? writeMessageElement(declared.element, stub.fault.detail ?? {}, '').text
      : stub.fault.detail === undefined
        ? undefined
        : escapeText(JSON.stringify(stub.fault.detail));
    const text = writeFault(soap.version, {
      sender: declared !== undefined,
      reason: stub.fault.reason ?? stub.fault.name ?? 'fault',
      detail,
    });
    return reply(500, text, mediaType);
  }
  if (typeof stub.body === 'string') return reply(200, stub.body, mediaType);
  if (!soap.output) return reply(202, undefined, mediaType);
  const given = stub.body as { body?: unknown; soapHeader?: Record<string, unknown> } | undefined;
  return reply(200, writeSoap(soap.version, soap.output, { body: given ?? {} }).text, mediaType);
}
