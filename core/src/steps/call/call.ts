import { endToEnd } from '../../message/hop';
import { finding, Refusal } from '../../problem';
import type { Run } from '../../flow/run';
import { LIMITS } from '../../limits';
import type { BackendContext, StepKind } from '../kind';
import { httpCall } from './http';
import type { CallDocument } from './schema';
import { addressOf, send } from './send';
import { soapCall } from './soap';

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
    if (operation?.soap) return soapCall(step, backend, operation.soap, timeoutMs);
    if (operation?.http) return httpCall(step, backend, operation, timeoutMs);
    return fail(`the backend ${step.backend} has no operation ${step.operation}`);
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
