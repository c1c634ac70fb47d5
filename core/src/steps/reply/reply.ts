import { Body } from '../../message/body';
import { isJson } from '../../message/headers';
import { finding } from '../../problem';
import { checkExpression, loadForReading, readsBody, runnable } from '../expression';
import type { StepKind } from '../kind';
import type { ReplyDocument } from './schema';

export const replyKind: StepKind<ReplyDocument> = {
  kind: 'reply',
  words: 'answer with this status, headers and body',
  label: (step) => String(step.status),

  compile(step) {
    const from = step.from === undefined ? undefined : runnable(step.from);
    const mediaType = step.mediaType ?? 'application/json';
    const fixed: Record<string, string> = {};
    for (const [k, v] of Object.entries(step.headers ?? {})) fixed[k.toLowerCase()] = v;
    return async (run) => {
      await loadForReading(run, from !== undefined && readsBody(from));
      const value = from ? await from.evaluate(run.scope) : step.body;
      const none = value === undefined;
      const headers = none ? fixed : { 'content-type': mediaType, ...fixed };
      run.message = {
        status: step.status,
        headers,
        body: none ? Body.empty() : Body.ofValue(value, mediaType),
        format: isJson(mediaType) ? 'JSON' : mediaType,
      };
    };
  },

  check(step, context, before, report) {
    if (step.from !== undefined) checkExpression(step.from, context, '/from', before, report);
    if ((step.body !== undefined || step.from !== undefined) && !step.mediaType) {
      report(
        finding('HNG-307', 'the reply has a body but names no content type; application/json is sent', {
          ...context.place,
          pointer: `${context.place.pointer}/mediaType`,
        }),
      );
    }
    return { types: context.types, words: 'the reply', isReply: true };
  },
};
