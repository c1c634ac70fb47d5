import { mediaCodec, type MediaCodec } from '../../codec/media';
import type { ShapeFault } from '../../codec/xml';
import { Body } from '../../message/body';
import { isJson, isMultipart, withFields } from '../../message/headers';
import { finding, Refusal, type Finding, type InputFault } from '../../problem';
import {
  pointerParts,
  replySide,
  replyTypes,
  resolveSchema,
  schemaAt,
  typesOf,
  type JsonSchema,
  type TypeTable,
} from '../../schema';
import type { Expression } from '../../expression';
import type { Names } from '../../expression/operators';
import { fitOf, madeSchema } from '../../mapping';
import type { Run } from '../../flow/run';
import { demandFields } from '../made-fields';
import { checkExpression, fieldPointer, loadForReading, readsBody, runnable } from '../expression';
import type { MessageType, StepContext, StepKind } from '../kind';
import type { MapDocument } from './schema';
import { checkCoverage, type Target } from './coverage';
import { isFinding, targetOf } from './target';
import { finishFor, httpHeaders, type Finish } from './to-backend';

interface CompiledField {
  readonly pointer: string;
  readonly parts: readonly string[];
  readonly expression: Expression;
  readonly list: boolean;
  /** The body at hand, unchanged. */
  readonly same: boolean;
}

export const mapKind: StepKind<MapDocument> = {
  kind: 'map',
  words: 'build the next message, field by field',
  label: (step) => (typeof step.to === 'string' ? `to the ${step.to}` : `to ${step.to.operation}`),

  compile(step, context) {
    const target = targetOf(step, context);
    if (isFinding(target)) {
      return () => {
        throw new Refusal('HNG-420', {
          detail: 'A step of the flow failed. The trace says which.',
          inner: target.message,
        });
      };
    }
    const whole = step.whole === undefined ? undefined : runnable(step.whole);
    const onlyBody = !whole && step.fields?.filter((f) => /^\/body(\/|$)/.test(f.to)).length === 1;
    const fields = (step.fields ?? []).map((f): CompiledField => {
      const parts = pointerParts(f.to);
      const at = schemaAt(target.schema, target.types, parts);
      return {
        pointer: f.to,
        parts,
        expression: runnable(f.from),
        list: at !== undefined && typesOf(resolveSchema(at, target.types)).includes('array'),
        same: onlyBody && f.to === '/body' && f.from.trim() === 'body',
      };
    });
    const ensured = requiredParents(fields, target);
    const reading = [whole, ...fields.map((f) => (f.same ? undefined : f.expression))].some((e) => e && readsBody(e));
    const needsBody = reading || fields.some((f) => f.same);
    const finish: Finish = target.operation
      ? finishFor(target.operation, target.types)
      : step.to === 'request'
        ? toRequest
        : toReply(context);
    const refuse = (run: Run) => (faults: readonly ShapeFault[]) => {
      throw mapRefusal(run, faults, fields, target);
    };
    return async (run) => {
      const passing = finish.passes?.(run) !== undefined;
      await loadForReading(run, passing ? reading : needsBody);
      const made: Record<string, unknown> = {};
      const scope = run.scope;
      if (whole) {
        const v = whole.evaluate(scope);
        made.body = v instanceof Promise ? await v : v;
      }
      for (const f of fields) {
        // As it came is not read.
        if (passing && f.same) continue;
        let v = f.expression.evaluate(scope);
        if (v instanceof Promise) v = await v;
        if (v === undefined && f.list && f.parts[0] === 'body' && walksList(f.expression, scope)) v = [];
        if (v === undefined) continue;
        // JSONata unwraps a list of one; the target's type says that it is a list.
        if (f.list && v !== null && !Array.isArray(v)) v = [v];
        place(made, f.parts, v);
      }
      for (const parts of ensured) if (valueAt(made, parts) === undefined) place(made, parts, {});
      finish(run, made, refuse(run));
    };
  },

  check(step, context, before, report) {
    const target = targetOf(step, context);
    if (isFinding(target)) {
      report(target);
      return { types: {}, words: 'an unknown message', isReply: false };
    }
    if (step.whole !== undefined) checkExpression(step.whole, context, '/whole', before, report);
    (step.fields ?? []).forEach((f, i) => {
      const e = checkExpression(f.from, context, fieldPointer(i), before, report);
      checkTarget(f.to, i, target, context, report);
      if (e) checkFit(e, f.to, i, target, context, before, report);
      if (step.to === 'reply' && f.to === '/status') checkStatus(f.from, i, context, report);
    });
    if (step.whole === undefined) checkCoverage(step, target, context, report);
    return {
      body: target.schema.properties?.body,
      types: target.types,
      words: target.words,
      isReply: step.to === 'reply',
    };
  },
};

/** One of the lists that the expression reads is there: nothing out of it is a list of nothing, which JSONata does not tell from no list at all. */
function walksList({ reads }: Expression, scope: Names): boolean {
  return reads.some(([root, ...rest]) => {
    let at = root === undefined ? undefined : scope.read(root);
    for (const name of rest) {
      if (Array.isArray(at) || at === null || typeof at !== 'object') break;
      at = Object.hasOwn(at, name) ? (at as Record<string, unknown>)[name] : undefined;
    }
    return Array.isArray(at);
  });
}

/** Objects above the fields that the target demands, also when every field in them stays empty. */
function requiredParents(fields: readonly CompiledField[], target: Target): string[][] {
  const out = new Map<string, string[]>();
  for (const f of fields) {
    let schema: JsonSchema = target.schema;
    for (let n = 1; n < f.parts.length; n++) {
      const owner = resolveSchema(schema, target.types);
      if (!owner.required?.includes(f.parts[n - 1]!)) break;
      const next = owner.properties?.[f.parts[n - 1]!];
      if (!next) break;
      schema = next;
      if (n > 1) out.set(f.parts.slice(0, n).join('/'), f.parts.slice(0, n) as string[]);
    }
  }
  return [...out.values()];
}

function valueAt(root: unknown, parts: readonly string[]): unknown {
  let at = root;
  for (const p of parts) at = at !== null && typeof at === 'object' ? (at as Record<string, unknown>)[p] : undefined;
  return at;
}

/** Sets a value at a path of names, making objects on the way. */
function place(root: Record<string, unknown>, parts: readonly string[], value: unknown): void {
  let at = root;
  for (let i = 0; i < parts.length - 1; i++) {
    const key = parts[i]!;
    const next = at[key];
    if (next !== null && typeof next === 'object' && !Array.isArray(next)) at = next as Record<string, unknown>;
    else at = at[key] = {};
  }
  const last = parts[parts.length - 1]!;
  // A name from a document, never a prototype.
  if (last !== '__proto__') at[last] = value;
}

/** Faults of the made message, told with the caller's own names where a field came straight from the request. */
function mapRefusal(
  run: Run,
  faults: readonly { pointer: string; words: string; kind: string }[],
  fields: readonly CompiledField[],
  target: Target,
): Refusal {
  const inner = `the message for ${target.words} breaks its schema: ${faults.map((f) => `${f.pointer} ${f.words}`).join('; ')}`;
  const errors = run.isRequest ? faults.map((f) => originOf(f, fields)) : [];
  if (errors.length && errors.every((e) => e !== undefined))
    return new Refusal('HNG-404', { errors: errors as InputFault[], inner });
  return new Refusal('HNG-421', {
    detail: 'The flow made a message that its backend does not allow. The trace says where.',
    inner,
  });
}

function originOf(
  fault: { pointer: string; words: string; kind: string },
  fields: readonly CompiledField[],
): InputFault | undefined {
  const field = fields.find((f) => fault.pointer === f.pointer || fault.pointer.startsWith(`${f.pointer}/`));
  const path = field?.expression.path;
  if (!field || !path) return undefined;
  const code =
    fault.kind === 'missing'
      ? 'required'
      : fault.kind === 'unknown'
        ? 'additionalProperties'
        : fault.kind === 'choice'
          ? 'oneOf'
          : 'type';
  const rest = fault.pointer.slice(field.pointer.length);
  if (path[0] === 'body')
    return {
      pointer: `${path
        .slice(1)
        .map((p) => `/${p}`)
        .join('')}${rest}`,
      detail: fault.words,
      code,
    };
  if (path[0] === 'path' || path[0] === 'query' || path[0] === 'headers')
    return { parameter: path[1] ?? '', detail: fault.words, code };
  return undefined;
}

/** The caller's request with another body or other header fields; method, path and query stay. */
function toRequest(run: Run, made: Record<string, unknown>): void {
  const m = run.message;
  if (m.status !== undefined)
    throw new Refusal('HNG-420', {
      detail: 'A step of the flow failed. The trace says which.',
      inner: 'a map to the request stands behind a reply',
    });
  const headers = withFields(m.headers, demandFields(run, httpHeaders(made.headers)));
  if (made.body === undefined) {
    run.message = { ...m, headers };
    return;
  }
  const mediaType = 'application/json';
  delete headers['content-length'];
  headers['content-type'] = mediaType;
  run.message = {
    ...m,
    headers,
    body: Body.ofValue(made.body, mediaType),
    format: 'JSON',
  };
}

function toReply(context: StepContext) {
  const reply = context.operation.reply;
  const status = reply?.status ?? 200;
  const mediaType = reply?.mediaType ?? 'application/json';
  const media =
    isJson(mediaType) || isMultipart(mediaType)
      ? undefined
      : mediaCodec(mediaType, {
          schema: replySide(reply?.schema, context.types),
          types: replyTypes(context.types),
          lenient: true,
          root: context.operationId,
        });
  const codec = media && { read: (t: string) => media.read(t).value, write: (v: unknown) => writeReply(media, v) };
  return (run: Run, made: Record<string, unknown>): void => {
    const given = made.status === undefined ? status : Number(made.status);
    const headers = demandFields(run, httpHeaders(made.headers), run.message.headers);
    const none = given === 204 || given === 304 || (made.body === undefined && !reply?.schema);
    if (!none) headers['content-type'] = mediaType;
    // An operation that promises a body sends one, if only an empty object.
    const value = made.body === undefined && isJson(mediaType) ? {} : made.body;
    run.message = {
      status: given,
      headers,
      body: none ? Body.empty() : Body.ofValue(value, mediaType, codec),
      format: isJson(mediaType) ? 'JSON' : mediaType,
    };
  };
}

function writeReply(media: MediaCodec, value: unknown): string {
  const { text, faults } = media.write(value);
  if (!faults.length) return text;
  throw new Refusal('HNG-421', {
    detail: 'The flow made a reply that cannot be written. The trace says where.',
    inner: faults.map((f) => `${f.pointer} ${f.words}`).join('; '),
  });
}

function checkTarget(
  to: string,
  index: number,
  target: Target,
  context: StepContext,
  report: (f: Finding) => void,
): void {
  const parts = pointerParts(to);
  if (parts[0] === 'headers' || parts[0] === 'status') return;
  // A target whose body may be anything takes any field; so does an object that is open.
  if (schemaAt(target.schema, target.types, parts) || (parts[0] === 'body' && isOpen(target))) return;
  report(
    finding('HNG-309', `${target.words} has no field ${to}`, {
      ...context.place,
      pointer: `${context.place.pointer}/fields/${index}/to`,
    }),
  );
}

function isOpen(target: Target): boolean {
  const body = resolveSchema(target.schema.properties?.body ?? {}, target.types);
  return body.properties === undefined && body.additionalProperties !== false;
}

/** A status that stands in the map as a number must be one that the operation declares. */
function checkStatus(from: string, index: number, context: StepContext, report: (f: Finding) => void): void {
  const status = madeSchema(from)?.const;
  const { reply, otherReplies = {} } = context.operation;
  if (typeof status !== 'number') return;
  if (!Number.isInteger(status) || status < 200 || status > 599) {
    const place = { ...context.place, pointer: `${context.place.pointer}${fieldPointer(index)}` };
    report(finding('HNG-317', `${status} is no status of a reply; one from 200 to 599 is`, place));
    return;
  }
  if (!reply) return;
  const text = String(status);
  const declared = [String(reply.status ?? 200), ...Object.keys(otherReplies)];
  if (declared.some((d) => d === text || d === 'default' || d === `${text[0]}XX`)) return;
  report(
    finding('HNG-317', `the operation declares no reply with status ${text}`, {
      ...context.place,
      pointer: `${context.place.pointer}${fieldPointer(index)}`,
    }),
  );
}

/** A plain path from a typed source into a typed target: the JSON types must meet. */
function checkFit(
  e: Expression,
  to: string,
  index: number,
  target: Target,
  context: StepContext,
  before: MessageType,
  report: (f: Finding) => void,
): void {
  const made = e.path ? undefined : madeSchema(e.source);
  const source = e.path ? sourceSchema(e.path, context, before) : made && { schema: made, types: {} };
  const goal = schemaAt(target.schema, target.types, pointerParts(to));
  if (!source || !goal) return;
  const misfit = fitOf(source, { schema: goal, types: target.types });
  if (misfit)
    report(
      finding(misfit.code, `${e.source} ${misfit.words} by ${to}`, {
        ...context.place,
        pointer: `${context.place.pointer}${fieldPointer(index)}`,
      }),
    );
}

function sourceSchema(
  path: readonly string[],
  context: StepContext,
  before: MessageType,
): { schema: JsonSchema; types: TypeTable } | undefined {
  const [root, first] = path;
  if (root === 'body' && before.body) {
    const schema = schemaAt(before.body, before.types, path.slice(1));
    return schema && { schema, types: before.types };
  }
  const place = root === 'path' || root === 'query' ? root : root === 'headers' ? 'header' : undefined;
  const parameter =
    place && path.length === 2 && context.operation.parameters?.find((p) => p.in === place && p.name === first);
  return parameter ? { schema: parameter.schema, types: context.types } : undefined;
}
