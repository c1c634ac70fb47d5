import { readSoap, soapMediaType, writeSoap } from '../../codec/soap';
import type { SoapOperation } from '../../contract';
import type { BackendReply } from '../../flow/ports';
import type { Run } from '../../flow/run';
import { Body } from '../../message/body';
import { essence, isXml, withFields } from '../../message/headers';
import { endToEnd } from '../../message/hop';
import type { Message } from '../../message/message';
import { Refusal, type RefusalOptions } from '../../problem';
import type { BackendContext } from '../kind';
import { operationOfMessage } from '../map/to-backend';
import type { CallDocument } from './schema';
import { compileCaller } from './caller';
import { loadReply, portAddress, textOf, unreadable } from './send';

/** URL of a port under an address; the last one is kept, for it is nearly always the same. */
function reached(first: string | undefined, own: string | undefined): (address: string) => string {
  let last: string | undefined;
  let url = '';
  return (address) => {
    if (address !== last) {
      url = portAddress(address, first, own);
      last = address;
    }
    return url;
  };
}

export function soapCall(step: CallDocument, backend: BackendContext, soap: SoapOperation, timeoutMs: number) {
  const lenient = backend.document.reply === 'lenient';
  const expect = { message: soap.output ?? { headers: [] }, faults: soap.faults };
  const call = compileCaller(step, backend);
  const url = reached(backend.contract?.addresses[0], soap.address);
  return async (run: Run): Promise<void> => {
    const m = requestFor(run.message, soap);
    const reply = await call(run, {
      operation: step.operation,
      url,
      method: 'POST',
      headers: withFields(m.headers, run.outbound),
      body: m.body,
      timeoutMs,
    });
    await loadReply(reply, backend, run);
    if (run.observer) run.notes = { ...run.notes, status: reply.status };
    // The raw reply stands as the message first: when it cannot be read, it is what the designer must see.
    run.message = asSoap(reply, soap.version, reply.body);
    if (!soap.output) {
      if (reply.status >= 300) throw unreadable(backend, `status ${reply.status} for a one-way operation`);
      return;
    }
    const text = textOf(reply, backend);
    if (!isXml(reply.body.mediaType))
      throw unreadable(
        backend,
        `status ${reply.status} with content type ${essence(reply.body.mediaType) || '(none)'}; a SOAP envelope was expected`,
      );
    const answer = readSoap(text, expect, lenient);
    if (answer.kind === 'unreadable') throw unreadable(backend, `status ${reply.status}: ${answer.words}`);
    if (answer.kind === 'fault') throw faultRefusal(step, backend, answer.fault, run.message);
    if (answer.faults.length) {
      const words = answer.faults
        .slice(0, 10)
        .map((f) => `${f.pointer || '/'} ${f.words}`)
        .join('; ');
      throw new Refusal('HNG-505', {
        backend: backend.name,
        detail: `The answer of ${backend.name} breaks its contract.`,
        inner: words,
      });
    }
    const { body, soapHeader } = answer.value;
    run.message = asSoap(reply, soap.version, Body.ofRead(reply.body, { value: body }), soapHeader);
    // `Run.release` says why.
    reply.body.release();
  };
}

/** The message to send: made by a map, or a caller's envelope, which goes on as it came where the version is the same. */
function requestFor(m: Message, soap: SoapOperation): Message {
  if (m.format === `SOAP ${soap.version}`) {
    if (operationOfMessage(m)) return m;
    // What is read here must come as plain text.
    const { 'accept-encoding': _encoding, ...headers } = endToEnd(m.headers);
    if (soap.version === '1.1') headers.soapaction ??= `"${soap.action}"`;
    return { ...m, headers, body: m.body };
  }
  if (m.format !== 'SOAP 1.1' && m.format !== 'SOAP 1.2')
    throw new Refusal('HNG-420', {
      detail: 'A step of the flow failed. The trace says which.',
      inner: 'no map made a SOAP message before this call',
    });
  const written = writeSoap(soap.version, soap.input, { body: m.body.value() ?? {}, soapHeader: m.soapHeader });
  if (written.faults.length)
    throw new Refusal('HNG-404', {
      errors: written.faults.map((f) => ({ pointer: f.pointer, detail: f.words, code: f.kind })),
    });
  const mediaType = soapMediaType(soap);
  const headers: Record<string, string> = { 'content-type': mediaType };
  if (soap.version === '1.1') headers.soapaction = `"${soap.action}"`;
  return { ...m, headers, body: Body.ofText(written.text, mediaType), format: `SOAP ${soap.version}` };
}

function asSoap(reply: BackendReply, version: string, body: Body, soapHeader?: Message['soapHeader']): Message {
  const format = `SOAP ${version}`;
  // Not by spreading: that costs as much as reading a dozen elements.
  return soapHeader === undefined
    ? { status: reply.status, headers: reply.headers, body, format }
    : { status: reply.status, headers: reply.headers, body, format, soapHeader };
}

function faultRefusal(
  step: CallDocument,
  backend: BackendContext,
  fault: { code: string; reason: string; name?: string; detail?: unknown; sender: boolean },
  message: Message,
): Refusal {
  const mapped = fault.name === undefined ? undefined : step.faults?.[fault.name];
  const options: RefusalOptions = {
    backend: backend.name,
    status: mapped?.status,
    title: mapped?.title,
    kind: fault.name,
    detail: fault.reason || undefined,
    fault: { code: fault.code, reason: fault.reason, ...(fault.detail !== undefined && { detail: fault.detail }) },
    soapFault: { ...message, headers: endToEnd(message.headers) },
    inner: `${backend.name} answered with the fault ${fault.name ?? fault.code}: ${fault.reason}`,
  };
  return new Refusal(fault.sender ? 'HNG-506' : 'HNG-507', options);
}
