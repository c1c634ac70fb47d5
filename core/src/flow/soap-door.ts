import { readSoap, soapFaultMessage, soapMediaType, writeSoap } from '../codec/soap';
import type { ContractOperation, SoapOperation, SoapVersion } from '../contract';
import { SOAP_ENVELOPE } from '../contract';
import { exportWsdl } from '../export/wsdl';
import { Body } from '../message/body';
import type { Message } from '../message/message';
import { problemOf, Refusal } from '../problem';
import { escapeText, keyOf, OPEN, XmlError, XmlScanner } from '../xml';
import type { CallContext, CompiledOperation, Incoming, Outcome } from './compile';
import type { FlowDocument } from './document';

/** What stands first in an envelope: enough to know the operation. */
export interface EnvelopeHead {
  readonly version: SoapVersion;
  /** `{namespace}local` of the first element in the body; undefined for an empty body. */
  readonly content?: string;
  readonly local?: string;
}

/** Reads no further than the first element of the body. Throws XmlError, or Refusal for what is no envelope. */
export function readHead(text: string): EnvelopeHead {
  const s = new XmlScanner(text);
  s.next();
  const { uri, local } = s.name;
  const version = (['1.1', '1.2'] as const).find((v) => SOAP_ENVELOPE[v] === uri);
  if (!version || local !== 'Envelope')
    throw new Refusal('HNG-403', {
      detail: `The body is ${local} of ${uri || 'no namespace'}, not a SOAP envelope.`,
      kind: 'VersionMismatch',
    });
  for (;;) {
    const event = s.next();
    if (event !== OPEN) {
      if (s.depth === 0) throw new Refusal('HNG-403', { detail: 'The envelope has no body.' });
      continue;
    }
    if (s.name.local !== 'Body' || s.name.uri !== uri) {
      s.skip();
      continue;
    }
    while (s.depth >= 2)
      if (s.next() === OPEN) return { version, content: keyOf(s.name.uri, s.name.local), local: s.name.local };
    return { version };
  }
}

/** Version by content type, for faults of messages that cannot be read. */
export function versionOf(headers: Readonly<Record<string, string>>): SoapVersion {
  return /application\/soap\+xml/i.test(headers['content-type'] ?? '') ? '1.2' : '1.1';
}

/** The one way in of a SOAP door: finds the operation by the content of the body, and hands over. */
export function soapEntry(
  path: string,
  operations: readonly CompiledOperation[],
  contracts: ReadonlyMap<string, ContractOperation>,
): CompiledOperation {
  const byContent = new Map<string, CompiledOperation>();
  const byAction = new Map<string, CompiledOperation>();
  /** Of style rpc: callers that put the operation in another namespace than the binding are understood. */
  const byWrapper = new Map<string, CompiledOperation>();
  for (const o of operations) {
    const soap = contracts.get(o.id)?.soap;
    const body = soap?.input.body;
    const key = body ? keyOf(body.uri, body.name) : '';
    if (!byContent.has(key)) byContent.set(key, o);
    if (body?.wrapper && !byWrapper.has(body.name)) byWrapper.set(body.name, o);
    if (soap?.action) byAction.set(soap.action, o);
  }
  const first = operations[0]!;
  return {
    id: 'soap',
    method: 'POST',
    path,
    document: first.document,
    guards: first.guards,
    preflight: first.preflight,
    continueWith: () => Promise.reject(new Error('a SOAP door is no flow')),
    async handle(incoming, context): Promise<Outcome> {
      let version = versionOf(incoming.headers);
      try {
        await incoming.body.load();
        const head = readHead(incoming.body.text());
        version = head.version;
        const action = actionOf(incoming.headers);
        const named = action === undefined ? undefined : byAction.get(action);
        // Overloaded operations share their element; the action tells them apart (WSDL 1.1 §3.4).
        const found =
          named && sameContent(named, head, contracts)
            ? named
            : (byContent.get(head.content ?? '') ?? named ?? byWrapper.get(head.local ?? ''));
        if (!found)
          throw new Refusal('HNG-401', {
            detail: `No operation takes ${head.local ?? 'an empty body'}; there are ${operations.map((o) => o.id).join(', ')}.`,
          });
        return { ...(await found.handle(incoming, context)), operation: found };
      } catch (error) {
        const refusal =
          error instanceof Refusal
            ? error
            : new Refusal('HNG-403', {
                detail: `The body is not well-formed XML: ${error instanceof XmlError ? `${error.message} (line ${error.line})` : (error as Error).message}.`,
                cause: error,
              });
        return { reply: faultOf(refusal, version, incoming.url, context.traceId), backendMs: 0, refusal };
      }
    },
  };
}

function sameContent(
  o: CompiledOperation,
  head: EnvelopeHead,
  contracts: ReadonlyMap<string, ContractOperation>,
): boolean {
  const body = contracts.get(o.id)?.soap?.input.body;
  if (body?.wrapper) return body.name === head.local;
  return (body ? keyOf(body.uri, body.name) : undefined) === head.content;
}

/** SOAPAction (SOAP 1.1 §6.1.1) or the action parameter (SOAP 1.2 Part 2 §6.5.3). */
function actionOf(headers: Readonly<Record<string, string>>): string | undefined {
  const text = headers.soapaction ?? /;\s*action="?([^";]*)"?/i.exec(headers['content-type'] ?? '')?.[1];
  return text?.trim().replace(/^"(.*)"$/, '$1') || undefined;
}

/** GET: the WSDL at ?wsdl, with the address that the caller used. */
export function wsdlEntry(
  path: string,
  document: FlowDocument,
  door: FlowDocument['doors'][number],
): CompiledOperation {
  let made: { address: string; text: string } | undefined;
  const first = Object.values(document.operations)[0]!;
  return {
    id: 'wsdl',
    method: 'GET',
    path,
    document: first,
    guards: [],
    continueWith: () => Promise.reject(new Error('a description is no flow')),
    handle(incoming: Incoming, context: CallContext): Promise<Outcome> {
      if (!/^\?wsdl\b/i.test(incoming.search)) {
        const refusal = new Refusal('HNG-402', {
          detail: 'This is a SOAP door: send envelopes by POST, or read its description at ?wsdl.',
          headers: { allow: 'POST, GET' },
        });
        const text = `${JSON.stringify(problemOf(refusal, incoming.url, context.traceId))}`;
        const headers = { 'content-type': 'application/problem+json', allow: 'POST, GET' };
        return Promise.resolve({
          reply: { status: 405, headers, body: Body.ofText(text, 'application/problem+json') },
          backendMs: 0,
          refusal,
        });
      }
      const scheme = incoming.secure ? 'https' : 'http';
      const address = `${scheme}://${incoming.headers.host ?? 'localhost'}${incoming.url}`;
      if (made?.address !== address) made = { address, text: exportWsdl(document, { address, door: door.name }) };
      return Promise.resolve({
        reply: {
          status: 200,
          headers: { 'content-type': 'text/xml; charset=utf-8' },
          body: Body.ofText(made.text, 'text/xml'),
        },
        backendMs: 0,
      });
    },
  };
}

/** The caller's envelope as the flow knows it: bytes as they came, and JSON for whoever asks. */
export function soapInward(message: Message, soap: SoapOperation, validate: boolean): Message {
  const text = message.body.text();
  const head = readHead(text);
  let parsed: ReturnType<typeof parse> | undefined;
  const parse = () => {
    const answer = readSoap(text, { message: soap.input, faults: [] }, !validate);
    if (answer.kind === 'unreadable')
      throw new Refusal('HNG-403', { detail: `The envelope cannot be read: ${answer.words}.` });
    if (answer.kind === 'fault') throw new Refusal('HNG-404', { detail: 'A fault is no request.' });
    return answer;
  };
  const answer = () => (parsed ??= parse());
  if (validate && answer().faults.length) {
    const errors = answer().faults.map((f) => ({ pointer: f.pointer, detail: f.words, code: f.kind }));
    throw new Refusal('HNG-404', { errors });
  }
  return {
    method: message.method,
    path: message.path,
    headers: message.headers,
    format: `SOAP ${head.version}`,
    body: Body.ofRead(message.body, { codec: { read: () => answer().value.body, write: () => text } }),
    get soapHeader() {
      return answer().value.soapHeader;
    },
  };
}

/** The reply as an envelope of the caller's version. */
export function soapOutward(reply: Message, soap: SoapOperation, version: SoapVersion): Message {
  if (reply.format === `SOAP ${version}`) return reply;
  const status = reply.status ?? 200;
  if (!soap.output) return { status: status < 300 ? 202 : status, headers: {}, body: Body.empty() };
  const written = writeSoap(version, soap.output, {
    body: reply.body.value() ?? {},
    soapHeader: reply.soapHeader as Record<string, unknown> | undefined,
  });
  if (written.faults.length)
    throw new Refusal('HNG-421', {
      detail: 'The flow made a reply that its contract does not allow. The trace says where.',
      inner: written.faults.map((f) => `${f.pointer} ${f.words}`).join('; '),
    });
  const mediaType = soapMediaType({ version, action: '' });
  const { 'content-type': _type, 'content-length': _length, ...headers } = reply.headers;
  return {
    status: 200,
    headers: { ...headers, 'content-type': mediaType },
    body: Body.ofText(written.text, mediaType),
    format: `SOAP ${version}`,
  };
}

/** Statuses that say something to HTTP itself keep it; any other fault is what the binding says (SOAP 1.1 §6.2, SOAP 1.2 Part 2 §7.5.2.2). */
const HTTP_STATUS = new Set([401, 403, 405, 413, 415, 429, 503]);

/** A refusal as a fault of the caller's version, the problem as its detail. A backend's own fault goes on as it came. */
export function faultOf(refusal: Refusal, version: SoapVersion, instance: string, traceId: string): Message {
  const own = refusal.options.soapFault;
  if (own?.format === `SOAP ${version}`) return own;
  const problem = problemOf(refusal, instance, traceId);
  const sender = refusal.status < 500;
  const status = HTTP_STATUS.has(refusal.status) ? refusal.status : version === '1.2' && sender ? 400 : 500;
  const errors = (problem.errors ?? [])
    .map(
      (e) =>
        `<error><pointer>${escapeText(e.pointer ?? e.parameter ?? '')}</pointer><detail>${escapeText(e.detail)}</detail></error>`,
    )
    .join('');
  const detail = `<problem xmlns="urn:ietf:rfc:7807"><type>${escapeText(problem.type)}</type><title>${escapeText(problem.title)}</title><status>${problem.status}</status><traceId>${traceId}</traceId>${errors}</problem>`;
  const message = soapFaultMessage(version, {
    sender,
    code: refusal.options.kind === 'VersionMismatch' ? 'VersionMismatch' : undefined,
    reason: problem.fault?.reason ?? problem.detail ?? problem.title,
    detail,
  });
  return { ...message, status, headers: { ...refusal.options.headers, ...message.headers } };
}
