import { readSoap } from '../../codec/soap';
import type { SoapOperation } from '../../contract';
import { Body } from '../../message/body';
import { essence, isXml } from '../../message/headers';
import { endToEnd } from '../../message/hop';
import type { Message } from '../../message/message';
import { finding, Refusal, type RefusalOptions } from '../../problem';
import { BackendFailure, type BackendReply, type BackendRequest } from '../../flow/ports';
import type { Run } from '../../flow/run';
import { LIMITS } from '../../limits';
import type { BackendContext, StepKind } from '../kind';
import type { CallDocument } from './schema';

export const callKind: StepKind<CallDocument> = {
  kind: 'call',
  words: 'call a backend',
  label: (step) => step.backend,

  compile(step, context) {
    const backend = context.backend(step.backend);
    const fail = (inner: string) => () => {
      throw new Refusal('HNG-420', { detail: 'A step of the flow failed. The trace says which.', inner });
    };
    if (!backend) return fail(`there is no backend ${step.backend}`);
    const timeoutMs = step.timeoutMs ?? backend.document.timeoutMs ?? LIMITS.callMs;
    if (step.operation === undefined) return passThrough(backend, timeoutMs);
    const operation = backend.contract?.operations.find((o) => o.id === step.operation);
    if (!operation?.soap) return fail(`the backend ${step.backend} has no operation ${step.operation}`);
    return soapCall(step, backend, operation.soap, timeoutMs);
  },

  check(step, context, before, report) {
    const backend = context.backend(step.backend);
    const at = (member: string) => ({ ...context.place, pointer: `${context.place.pointer}/${member}` });
    const unknown = { types: {}, words: 'an unknown message', isReply: true };
    if (!backend) {
      const names = Object.keys(context.document.backends ?? {});
      report(
        finding(
          'HNG-302',
          `there is no backend ${step.backend}`,
          at('backend'),
          names.length ? `Choose one of ${names.join(', ')}.` : 'Bring in a backend first.',
        ),
      );
      return unknown;
    }
    if (step.operation === undefined) return { types: {}, words: `the reply of ${backend.name}`, isReply: true };
    const operation = backend.contract?.operations.find((o) => o.id === step.operation);
    if (!operation || operation.unusable) {
      report(
        finding(
          'HNG-302',
          operation
            ? `${step.operation} of ${step.backend} cannot be called: ${operation.unusable}`
            : `the backend ${step.backend} has no operation ${step.operation}`,
          at('operation'),
        ),
      );
      return unknown;
    }
    for (const name of Object.keys(step.faults ?? {})) {
      if (!operation.faults.some((f) => f.name === name))
        report(
          finding(
            'HNG-302',
            `${operation.id} declares no fault ${name}`,
            at(`faults/${name}`),
            `Choose one of ${operation.faults.map((f) => f.name).join(', ') || 'none'}.`,
          ),
        );
    }
    if (before.isReply && before.words !== `${operation.id} of ${backend.name}`) {
      report(
        finding(
          'HNG-310',
          `${before.words} is sent to ${operation.id}; a map must make its request first`,
          context.place,
          `Put a map to ${operation.id} before the call.`,
        ),
      );
    }
    return {
      body: operation.reply?.body,
      types: backend.contract!.types,
      words: `the reply of ${operation.id}`,
      isReply: true,
    };
  },
};

/** Sends and turns what can go wrong on the way into refusals that name the backend, never its address. */
async function send(
  run: Run,
  backend: BackendContext,
  request: Omit<BackendRequest, 'backend'>,
): Promise<BackendReply> {
  const started = run.ports.clock.now();
  run.notes = { url: request.url, method: request.method };
  try {
    return await run.ports.backends.send({ backend: backend.name, ...request });
  } catch (error) {
    if (!(error instanceof BackendFailure)) throw error;
    const common = { backend: backend.name, inner: `${request.url}: ${error.message}`, cause: error };
    if (error.kind === 'timeout')
      throw new Refusal('HNG-503', {
        ...common,
        detail: `${backend.name} did not answer within ${request.timeoutMs} ms.`,
      });
    if (error.kind === 'unreachable')
      throw new Refusal('HNG-502', { ...common, detail: `${backend.name} cannot be reached now.` });
    throw new Refusal('HNG-504', { ...common, detail: `The answer of ${backend.name} was cut off or cannot be read.` });
  } finally {
    run.backendMs += run.ports.clock.now() - started;
  }
}

function addressOf(backend: BackendContext, run: Run): string {
  const address = backend.addressFor(run.environment);
  if (!address) {
    const where = run.environment ? ` in ${run.environment}` : '';
    throw new Refusal('HNG-501', { backend: backend.name, detail: `${backend.name} has no address${where}.` });
  }
  return address;
}

function soapCall(step: CallDocument, backend: BackendContext, soap: SoapOperation, timeoutMs: number) {
  const lenient = backend.document.reply === 'lenient';
  const expect = { message: soap.output ?? { headers: [] }, faults: soap.faults };
  return async (run: Run): Promise<void> => {
    const m = run.message;
    if (m.format !== `SOAP ${soap.version}`)
      throw new Refusal('HNG-420', {
        detail: 'A step of the flow failed. The trace says which.',
        inner: 'no map made a SOAP message before this call',
      });
    const reply = await send(run, backend, {
      url: addressOf(backend, run),
      method: 'POST',
      headers: { ...m.headers, ...run.outbound },
      body: m.body,
      timeoutMs,
    });
    await loadReply(reply, backend, run);
    run.notes = { ...run.notes, status: reply.status };
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
    if (answer.kind === 'fault') throw faultRefusal(step, backend, answer.fault);
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
    run.message = {
      ...asSoap(reply, soap.version, Body.ofParsed(text, answer.value.body, reply.body.mediaType)),
      soapHeader: answer.value.soapHeader,
    };
  };
}

async function loadReply(reply: BackendReply, backend: BackendContext, run: Run): Promise<void> {
  const started = run.ports.clock.now();
  try {
    await reply.body.load();
  } catch (error) {
    if (error instanceof BackendFailure && error.kind === 'timeout') {
      throw new Refusal('HNG-503', {
        backend: backend.name,
        detail: `${backend.name} did not answer in time.`,
        inner: error.message,
        cause: error,
      });
    }
    throw unreadable(backend, (error as Error).message, error);
  } finally {
    run.backendMs += run.ports.clock.now() - started;
  }
}

function textOf(reply: BackendReply, backend: BackendContext): string {
  try {
    return reply.body.text();
  } catch (error) {
    throw unreadable(backend, (error as Error).message, error);
  }
}

function asSoap(reply: BackendReply, version: string, body: Body): Message {
  return { status: reply.status, headers: reply.headers, body, format: `SOAP ${version}` };
}

function unreadable(backend: BackendContext, inner: string, cause?: unknown): Refusal {
  return new Refusal('HNG-504', {
    backend: backend.name,
    detail: `The answer of ${backend.name} cannot be read.`,
    inner,
    cause,
  });
}

function faultRefusal(
  step: CallDocument,
  backend: BackendContext,
  fault: { code: string; reason: string; name?: string; detail?: unknown; sender: boolean },
): Refusal {
  const mapped = fault.name === undefined ? undefined : step.faults?.[fault.name];
  const options: RefusalOptions = {
    backend: backend.name,
    status: mapped?.status,
    title: mapped?.title,
    kind: fault.name,
    detail: fault.reason || undefined,
    fault: { code: fault.code, reason: fault.reason, ...(fault.detail !== undefined && { detail: fault.detail }) },
    inner: `${backend.name} answered with the fault ${fault.name ?? fault.code}: ${fault.reason}`,
  };
  return new Refusal(fault.sender ? 'HNG-506' : 'HNG-507', options);
}

function passThrough(backend: BackendContext, timeoutMs: number) {
  return async (run: Run): Promise<void> => {
    const m = run.message;
    const base = addressOf(backend, run).replace(/\/$/, '');
    const headers = endToEnd(m.headers);
    Object.assign(headers, run.outbound);
    const reply = await send(run, backend, {
      url: `${base}${run.request.rest}${run.request.search}`,
      method: run.request.method,
      headers,
      body: m.body,
      timeoutMs,
    });
    run.message = {
      status: reply.status,
      headers: endToEnd(reply.headers),
      body: reply.body,
      format: reply.body.mediaType,
    };
  };
}
