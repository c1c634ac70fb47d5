import { backendUrl } from '../../message/backend-url';
import { sentBy } from '../../flow/body-value';
import type { Message } from '../../message/message';
import { endToEnd } from '../../message/hop';
import { finding, Refusal, type Finding } from '../../problem';
import type { Run } from '../../flow/run';
import { LIMITS } from '../../limits';
import { checkCondition } from '../condition';
import type { BackendContext, MessageType, StepContext, StepKind } from '../kind';
import { operationOfMessage } from '../map/to-backend';
import { checkTemplate, compileTemplate } from '../template';
import { compileCaller } from './caller';
import { loadReply, notLoaded } from './send';
import { graphqlCall } from './graphql';
import { httpCall } from './http';
import type { CallDocument } from './schema';
import { soapCall } from './soap';

export const callKind: StepKind<CallDocument> = {
  kind: 'call',
  words: 'call a backend, or an operation of this gateway',
  label: (step) => step.backend ?? step.operation ?? 'nothing',

  compile(step, context) {
    if (step.backend === undefined) return innerCall(step, context);
    const backend = context.backend(step.backend);
    const fail = (inner: string) => () => {
      throw new Refusal('HNG-420', { detail: 'A step of the flow failed. The trace says which.', inner });
    };
    if (!backend) return fail(`there is no backend ${step.backend}`);
    const timeoutMs = step.timeoutMs ?? backend.document.timeoutMs ?? LIMITS.callMs;
    if (step.operation === undefined) return passThrough(step, backend, timeoutMs);
    const operation = backend.contract?.operations.find((o) => o.id === step.operation);
    if (operation?.soap) return soapCall(step, backend, operation.soap, timeoutMs);
    if (operation?.graphql) return graphqlCall(step, backend, operation, timeoutMs);
    if (operation?.http) return httpCall(step, backend, operation, timeoutMs);
    return fail(`the backend ${step.backend} has no operation ${step.operation}`);
  },

  check(step, context, before, report) {
    if (step.backend === undefined) return checkInner(step, context, report);
    checkSettings(step, context, before, report);
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
      // Codes of errors are no part of a GraphQL contract.
      if (!operation.graphql && !operation.faults.some((f) => f.name === name))
        report(
          finding(
            'HNG-302',
            `${operation.id} declares no fault ${name}`,
            at(`faults/${name}`),
            `Choose one of ${operation.faults.map((f) => f.name).join(', ') || 'none'}.`,
          ),
        );
    }
    // Envelopes of a SOAP door go on as they came; everything else needs a map.
    const asItCame = !before.isReply && operation.soap && context.operation.soap;
    if (!asItCame && before.words !== `${operation.id} of ${backend.name}`) {
      report(
        finding(
          'HNG-327',
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

function passThrough(step: CallDocument, backend: BackendContext, timeoutMs: number) {
  const call = compileCaller(step, backend);
  const path = step.path === undefined ? undefined : compileTemplate(step.path, 'path');
  // What a wildcard took goes on with its query, unless the path says another.
  const keepsQuery = path?.readsRest === true && !step.path!.includes('?');
  const ask = (run: Run, tail: string): Promise<void> => {
    const { headers: came, body } = run.message;
    const headers = endToEnd(came);
    for (const name in run.outbound) headers[name] = run.outbound[name]!;
    const url = (address: string) => backendUrl(address, tail);
    return call(run, { url, method: run.request.method, headers, body, timeoutMs }).then((reply) => {
      run.message = {
        status: reply.status,
        headers: endToEnd(reply.headers),
        body: reply.body,
        format: reply.body.mediaType,
      };
      sentBy(reply.body, backend.name);
      if (reply.body.pending) reply.body.failBy((error) => notLoaded(backend, error));
      if (!run.demandsSuccess || reply.status < 400) return;
      return loadReply(reply, backend, run).then(() => {
        throw refusedBy(backend.name, run.message);
      });
    });
  };
  if (!path)
    return (run: Run): Promise<void> => ask(run, `${run.request.below ?? run.request.rest}${run.request.search}`);
  return async (run: Run): Promise<void> => {
    if (path.readsBody) await run.message.body.load();
    const rendered = await path.render(run);
    await ask(run, keepsQuery ? rendered + run.request.search : rendered);
  };
}

/**
 * An answer of 400 or above without a contract that would say what it means, where somebody sees to failures: `on`, `onFailure`. Where nobody takes it,
 * the caller gets it as it came.
 */
function refusedBy(backend: string | undefined, reply: Message): Refusal {
  const status = reply.status!;
  const reason = `status ${status}`;
  return new Refusal('HNG-506', {
    backend,
    backendStatus: status,
    status,
    fault: { code: String(status), reason },
    inner: `${backend ?? 'the operation'} answered ${status}`,
    reply,
  });
}

/** An operation inside the gateway: with the arguments that a map made, or with the request as it is. */
function innerCall(step: CallDocument, context: StepContext) {
  const { operation } = step;
  return async (run: Run): Promise<void> => {
    const inner = run.more.inner;
    if (operation === undefined || !inner)
      throw new Refusal('HNG-420', {
        detail: 'A step of the flow failed. The trace says which.',
        inner:
          operation === undefined
            ? 'the call names neither a backend nor an operation'
            : 'nothing here runs inner operations',
      });
    const made = operationOfMessage(run.message)?.id === operation;
    const end = await inner({ api: step.api, operation, message: run.message, run, at: context.at, made });
    run.backendMs += end.backendMs;
    if (end.refusal) throw end.refusal;
    run.message = end.reply;
    const status = end.reply.status ?? 200;
    if (run.demandsSuccess && status >= 400) throw refusedBy(undefined, end.reply);
  };
}

function checkInner(step: CallDocument, context: StepContext, report: (f: Finding) => void): MessageType {
  const place = { ...context.place, pointer: `${context.place.pointer}/operation` };
  const unknown = { types: {}, words: 'an unknown message', isReply: true };
  if (step.operation === undefined) {
    report(finding('HNG-302', 'the call names neither a backend nor an operation', place, 'Name a backend.'));
    return unknown;
  }
  const inner = context.inner(step.operation, step.api);
  // What other APIs the gateway will run is not known to a single document.
  if (!inner && step.api !== undefined && !context.knowsApis)
    return { ...unknown, words: `the reply of ${step.operation}` };
  if (!inner) {
    const words = step.api === undefined ? step.operation : `${step.operation} of ${step.api}`;
    report(finding('HNG-302', `there is no operation ${words} in this gateway`, place));
    return unknown;
  }
  return {
    body: inner.operation.reply?.body,
    types: inner.types,
    words: `the reply of ${step.operation}`,
    isReply: true,
  };
}

/** Routes, retry and the path of a proxy. */
function checkSettings(
  step: CallDocument,
  context: StepContext,
  before: MessageType,
  report: (f: Finding) => void,
): void {
  const routes = step.routes ?? [];
  const at = (member: string) => ({ ...context.place, pointer: `${context.place.pointer}${member}` });
  routes.forEach((r, i) => {
    if (r.when !== undefined) checkCondition(r.when, context, `/routes/${i}/when`, before, report);
    else if (i < routes.length - 1)
      report(
        finding(
          'HNG-315',
          `row ${i + 2} comes after a row without a condition, which always holds`,
          at(`/routes/${i + 1}`),
        ),
      );
    if (r.address !== undefined) checkTemplate(r.address, 'address', context, `/routes/${i}/address`, before, report);
    for (const address of r.address !== undefined && !r.address.includes('{{')
      ? [r.address]
      : (r.shares ?? []).map((s) => s.address))
      if (!/^https?:\/\/[^/]/.test(address))
        report(finding('HNG-301', `"${address}" is no http or https address`, at(`/routes/${i}`)));
  });
  if (step.path !== undefined) checkTemplate(step.path, 'path', context, '/path', before, report);
  if (!step.retry || step.retry.unsafe) return;
  const operation =
    step.operation === undefined
      ? undefined
      : context.backend(step.backend!)?.contract?.operations.find((o) => o.id === step.operation);
  const method = operation?.soap ? 'POST' : (operation?.http?.method ?? context.operation.method);
  if (!['GET', 'HEAD', 'PUT', 'DELETE', 'OPTIONS', 'ANY'].includes(method))
    report(
      finding(
        'HNG-320',
        operation?.soap
          ? `${step.operation} is a SOAP call (POST): it is never repeated, unless the retry says unsafe: true`
          : `${method} is not idempotent (RFC 9110 §9.2.2): it is never repeated, unless the retry says unsafe: true`,
        at('/retry'),
      ),
    );
}
