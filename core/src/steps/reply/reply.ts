import { Body } from '../../message/body';
import { isJson } from '../../message/headers';
import { finding, type Finding } from '../../problem';
import { ValidatorSet, collectFaults, replySide, replyTypes, type JsonSchema } from '../../schema';
import { checkExpression, keyPointer, loadForReading, readsBody, runnable } from '../expression';
import type { MessageType, StepContext, StepKind } from '../kind';
import { demandFields } from '../made-fields';
import { checkTemplate, compileTemplate } from '../template';
import { compileMock } from './mock';
import type { ReplyDocument } from './schema';

export const replyKind: StepKind<ReplyDocument> = {
  kind: 'reply',
  words: 'end with this status, headers and body; or answer from an example',
  label: (step) => (step.example === undefined ? String(step.status ?? 200) : `example ${step.example}`),

  compile(step, context) {
    const { reply } = context.operation;
    const from = step.from === undefined ? undefined : runnable(step.from);
    const mediaType = step.mediaType ?? reply?.mediaType ?? 'application/json';
    const template = step.template === undefined ? undefined : compileTemplate(step.template, { mediaType });
    const mock = step.example === undefined ? undefined : compileMock(step.example, context.operation, context.types);
    const fixed = Object.entries(step.headers ?? {}).map(
      ([k, v]) => [k.toLowerCase(), v.includes('{{') ? compileTemplate(v, 'header') : v] as const,
    );
    const reads = (from !== undefined && readsBody(from)) || (template?.readsBody ?? false);
    const headersRead = fixed.some(([, v]) => typeof v !== 'string' && v.readsBody);
    return async (run) => {
      await loadForReading(run, reads || headersRead);
      const example = mock && (await mock(run));
      const text = template && (await template.render(run));
      const value = example ? example.example.value : from ? await from.evaluate(run.scope) : step.body;
      const none = text === undefined && value === undefined;
      const headers: Record<string, string> = none ? {} : { 'content-type': mediaType };
      for (const [k, v] of Object.entries(example?.example.headers ?? {})) headers[k.toLowerCase()] = v;
      for (const [k, v] of fixed) headers[k] = typeof v === 'string' ? v : await v.render(run);
      demandFields(run, headers, run.message.headers);
      run.notes = example && { example: example.name };
      run.message = {
        status: step.status ?? example?.example.status ?? reply?.status ?? 200,
        headers,
        body: none ? Body.empty() : text === undefined ? Body.ofValue(value, mediaType) : Body.ofText(text, mediaType),
        format: isJson(mediaType) ? 'JSON' : mediaType,
      };
      run.ended = true;
    };
  },

  check(step, context, before, report) {
    const at = (member: string) => ({ ...context.place, pointer: `${context.place.pointer}/${member}` });
    const mediaType = step.mediaType ?? context.operation.reply?.mediaType;
    if (step.from !== undefined) checkExpression(step.from, context, '/from', before, report);
    if (step.template !== undefined)
      checkTemplate(
        step.template,
        { mediaType: mediaType ?? 'application/json' },
        context,
        '/template',
        before,
        report,
      );
    for (const [name, value] of Object.entries(step.headers ?? {}))
      if (value.includes('{{')) checkTemplate(value, 'header', context, keyPointer('headers', name), before, report);
    const hasBody = step.body !== undefined || step.from !== undefined || step.template !== undefined;
    if (hasBody && mediaType === undefined)
      report(
        finding('HNG-307', 'the reply has a body but names no content type; application/json is sent', at('mediaType')),
      );
    checkExamples(step, context, report);
    checkAllowed(step, context, report);
    return {
      body: bodyOf(step, context),
      types: context.types,
      words: 'the reply',
      isReply: true,
      ended: true,
    } satisfies MessageType;
  },
};

function bodyOf(step: ReplyDocument, context: StepContext): JsonSchema | undefined {
  return step.example === undefined ? undefined : context.operation.reply?.schema;
}

function checkExamples(step: ReplyDocument, context: StepContext, report: (f: Finding) => void): void {
  if (step.example === undefined) return;
  const { reply } = context.operation;
  const names = Object.keys(reply?.examples ?? {});
  const missing = step.example === 'auto' ? !names.length && !reply?.schema : !names.includes(step.example);
  if (missing)
    report(
      finding(
        'HNG-302',
        step.example === 'auto'
          ? 'the operation has neither examples nor a reply schema'
          : `there is no example ${step.example}`,
        { ...context.place, pointer: `${context.place.pointer}/example` },
        names.length ? `Choose one of ${names.join(', ')}, or auto.` : 'Give the reply an example.',
      ),
    );
}

/** What the operation declares about this status: its schema, or undefined where it declares no such status at all. */
function declaredFor(status: number, context: StepContext): { schema?: JsonSchema } | undefined {
  const { reply, otherReplies } = context.operation;
  if (!reply && !otherReplies) return {};
  if (status === (reply?.status ?? 200)) return reply ?? {};
  // Problems need no declaration: every operation may answer with them.
  return (
    otherReplies?.[String(status)] ??
    otherReplies?.[`${Math.floor(status / 100)}XX`] ??
    otherReplies?.default ??
    (status >= 400 ? {} : undefined)
  );
}

function checkAllowed(step: ReplyDocument, context: StepContext, report: (f: Finding) => void): void {
  const status = step.status ?? context.operation.reply?.status ?? 200;
  const declared = declaredFor(status, context);
  const place = { ...context.place, pointer: `${context.place.pointer}/status` };
  if (!declared) {
    report(finding('HNG-317', `the operation declares no reply with status ${status}`, place));
    return;
  }
  const json = isJson(step.mediaType ?? context.operation.reply?.mediaType ?? 'application/json');
  if (!declared.schema || step.body === undefined || !json) return;
  const faults = collectFaults(
    new ValidatorSet(replyTypes(context.types)).compile(replySide(declared.schema, context.types)),
    step.body,
  );
  if (faults.length)
    report(
      finding('HNG-317', `the body breaks the schema of the reply: ${faults[0]!.pointer || '/'} ${faults[0]!.detail}`, {
        ...context.place,
        pointer: `${context.place.pointer}/body`,
      }),
    );
}
