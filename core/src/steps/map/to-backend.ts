import type { ContractOperation, GraphqlOperation, HttpOperation, SoapOperation } from '../../contract';
import { bodiesOf, preferredMedia } from '../../contract';
import { mediaCodec } from '../../codec/media';
import { parameterForm, writeQuery, writeSimple } from '../../codec/parameters';
import { soapMediaType, writeSoap } from '../../codec/soap';
import type { ShapeFault } from '../../codec/xml';
import { demandFields } from '../made-fields';
import { bodyFor } from '../../flow/request-schema';
import type { Run } from '../../flow/run';
import { Body } from '../../message/body';
import { isMultipart, joinField } from '../../message/headers';
import type { Message } from '../../message/message';
import {
  ValidatorSet,
  collectFaults,
  escapePointer,
  requestSide,
  requestTypes,
  type JsonSchema,
  type TypeTable,
} from '../../schema';

/** Turns what a map made into the message for its backend; `refuse` is told of everything that does not fit the contract. */
export interface Finish {
  (run: Run, made: Record<string, unknown>, refuse: (faults: readonly ShapeFault[]) => never): void;
  /** Whether the body at hand goes on as it came: whatever the map makes, or where the map makes none. */
  readonly passes?: (run: Run) => 'always' | 'unchanged' | undefined;
}

/** For which operation a map made a message: a call sends no other. */
const madeFor = new WeakMap<Message, ContractOperation>();

export function operationOfMessage(m: Message): ContractOperation | undefined {
  return madeFor.get(m);
}

export function finishFor(operation: ContractOperation, types: TypeTable): Finish {
  if (operation.graphql) return toGraphql(operation, operation.graphql, types);
  return operation.http ? toHttp(operation, operation.http, types) : toSoap(operation, operation.soap!);
}

/** GraphQL over HTTP (draft of 2025) §5.3: query, variables and the operation's name by POST. */
function toGraphql(operation: ContractOperation, graphql: GraphqlOperation, types: TypeTable): Finish {
  const validate = new ValidatorSet(types).compile(operation.request.body);
  const mediaType = 'application/json';
  const { query, operationName } = graphql;
  return (run, made, refuse) => {
    const variables = made.body ?? {};
    const faults = collectFaults(validate, variables);
    if (faults.length)
      refuse(faults.map((f) => ({ pointer: `/body${f.pointer ?? ''}`, words: f.detail, kind: 'type' as const })));
    run.message = {
      method: 'POST',
      headers: {
        'content-type': mediaType,
        accept: 'application/graphql-response+json, application/json;q=0.9',
        ...demandFields(run, httpHeaders(made.headers)),
      },
      body: Body.ofValue({ query, operationName, variables }, mediaType),
      format: 'JSON',
    };
    madeFor.set(run.message, operation);
  };
}

function toSoap(operation: ContractOperation, soap: SoapOperation): Finish {
  const mediaType = soapMediaType(soap);
  return (run, made, refuse) => {
    const soapHeader = made.soapHeader as Record<string, unknown> | undefined;
    const written = writeSoap(soap.version, soap.input, { body: made.body ?? {}, soapHeader });
    if (written.faults.length) refuse(written.faults);
    const headers: Record<string, string> = {
      'content-type': mediaType,
      accept: soap.version === '1.1' ? 'text/xml' : 'application/soap+xml',
    };
    // SOAP 1.1 §6.1.1: the header must be there; an empty string is quoted too.
    if (soap.version === '1.1') headers.soapaction = `"${soap.action}"`;
    addHeaders(headers, made.headers);
    demandFields(run, headers);
    run.message = {
      method: 'POST',
      headers,
      body: Body.ofParsed(written.text, made.body ?? {}, mediaType),
      soapHeader,
      format: `SOAP ${soap.version}`,
    };
    madeFor.set(run.message, operation);
  };
}

function toHttp(operation: ContractOperation, http: HttpOperation, all: TypeTable): Finish {
  const types = requestTypes(all);
  const set = new ValidatorSet(types);
  const parameters = http.parameters.map((p) => ({
    ...p,
    form: parameterForm(p, types),
    member: memberOf(p.in),
    pointer: `/${memberOf(p.in)}/${escapePointer(p.name)}`,
    validate: set.compile(p.schema),
  }));
  const bodies = bodiesOf(http.request?.media ?? [], all).map((m) => ({
    mediaType: m.mediaType,
    codec: mediaCodec(m.mediaType, {
      schema: requestSide(m.schema, all),
      types,
      root: operation.id,
      encoding: m.encoding,
      styles: m.styles,
    }),
  }));
  // Of several bodies the one that the caller sent; what a backend answered says nothing of what another takes.
  const bodyOf = ({ message: m }: Run) =>
    bodies.length > 1 ? bodyFor(bodies, m.status === undefined ? m.body.mediaType : undefined) : bodies[0];
  const passes: Finish['passes'] = (run) => {
    const body = bodyOf(run);
    if (!body?.codec) return body && 'always';
    return isMultipart(body.mediaType) && isMultipart(run.message.body.mediaType) ? 'unchanged' : undefined;
  };
  const accept = acceptOf(http);
  const named = new Set(parameters.map((p) => p.name));
  const finish: Finish = (run, made, refuse) => {
    const faults: ShapeFault[] = [];
    let path = http.path;
    const query: string[] = [];
    const cookies: string[] = [];
    const headers: Record<string, string> = {};
    if (accept) headers.accept = accept;
    for (const p of parameters) {
      const given = made[p.member] as Record<string, unknown> | undefined;
      const value = given?.[p.name];
      if (value === undefined || value === null) {
        if (p.required) faults.push({ pointer: p.pointer, words: `${p.name} is missing`, kind: 'missing' });
        continue;
      }
      for (const f of collectFaults(p.validate, value))
        faults.push({ pointer: p.pointer + (f.pointer ?? ''), words: f.detail, kind: 'type' });
      if (p.form.content && !faults.length)
        for (const f of p.form.content.write(value).faults) faults.push({ ...f, pointer: p.pointer + f.pointer });
      if (p.in === 'path') path = path.replaceAll(`{${p.name}}`, () => writeSimple(p.form, value));
      else if (p.in === 'query') query.push(...writeQuery(p.form, value));
      else if (p.in === 'cookie') cookies.push(...writeQuery(p.form, value));
      else headers[p.name.toLowerCase()] = writeSimple(p.form, value);
    }
    if (cookies.length) headers.cookie = cookies.join('; ');
    addHeaders(headers, made.headers, named);
    let body = Body.empty();
    const media = bodyOf(run);
    const passing = passes(run);
    if (media && (passing === 'always' || (passing && made.body === undefined))) {
      // Not a form that we read, or one that nobody changes: what came goes on as it is.
      body = run.message.body;
      if (!body.isEmpty || body.pending) headers['content-type'] = body.mediaType ?? concrete(media.mediaType);
    } else if (media?.codec) {
      if (made.body !== undefined) {
        const written = media.codec.write(made.body);
        for (const f of written.faults) faults.push({ ...f, pointer: `/body${f.pointer}` });
        const mediaType = written.mediaType ?? media.mediaType;
        body = Body.ofWritten(written.text, made.body, mediaType);
        headers['content-type'] = mediaType;
      } else if (http.request?.required) faults.push({ pointer: '/body', words: 'a body is needed', kind: 'missing' });
    }
    if (faults.length) refuse(faults);
    demandFields(run, headers);
    run.message = {
      method: http.method,
      path: query.length ? `${path}?${query.join('&')}` : path,
      headers,
      body,
      format: /json/i.test(media?.mediaType ?? '') || !media ? 'JSON' : media.mediaType,
    };
    madeFor.set(run.message, operation);
  };
  return Object.assign(finish, { passes });
}

/** A range of types is no type of a message (RFC 9110 §8.3). */
const concrete = (mediaType: string): string => (mediaType.includes('*') ? 'application/octet-stream' : mediaType);

const memberOf = (place: HttpOperation['parameters'][number]['in']): string =>
  place === 'header' ? 'headers' : place === 'cookie' ? 'cookies' : place;

function acceptOf(http: HttpOperation): string {
  const types = new Set(
    http.replies.flatMap((r) => (preferredMedia(r.media) ? [preferredMedia(r.media)!.mediaType] : [])),
  );
  return [...types].join(', ');
}

export function httpHeaders(value: unknown): Record<string, string> {
  const out: Record<string, string> = {};
  addHeaders(out, value);
  return out;
}

/** Fields of a value by lower-case name, but those of `not`. */
function addHeaders(out: Record<string, string>, value: unknown, not?: ReadonlySet<string>): void {
  if (value === null || typeof value !== 'object') return;
  const given = value as Readonly<Record<string, unknown>>;
  for (const name of Object.keys(given)) {
    const v = given[name];
    if (v === undefined || v === null || not?.has(name)) continue;
    const field = name.toLowerCase();
    out[field] = Array.isArray(v) ? joinField(field, v.map(String)) : String(v as string);
  }
}

/** Arguments of an HTTP operation: parameters by place, then the body. */
export function httpTarget(operation: ContractOperation, types: TypeTable): { readonly schema: JsonSchema } {
  const http = operation.http!;
  const properties: Record<string, JsonSchema> = {};
  const required: string[] = [];
  for (const [member, place] of [
    ['path', 'path'],
    ['query', 'query'],
    ['headers', 'header'],
    ['cookies', 'cookie'],
  ] as const) {
    const own = http.parameters.filter((p) => p.in === place);
    if (!own.length && member !== 'headers') continue;
    const needed = own.filter((p) => p.required).map((p) => p.name);
    properties[member] = {
      type: 'object',
      ...(own.length && {
        properties: Object.fromEntries(
          own.map((p) => [p.name, { ...p.schema, ...(p.documentation && { description: p.documentation }) }]),
        ),
      }),
      ...(needed.length && { required: needed }),
    };
    if (needed.length) required.push(member);
  }
  if (http.request) {
    properties.body = requestSide(operation.request.body, types);
    // A form of parts may go on as it came, and what nobody reads does.
    const media = preferredMedia(http.request.media);
    const passes = !!media && (isMultipart(media.mediaType) || !mediaCodec(media.mediaType));
    if (http.request.required && !passes) required.push('body');
  }
  return { schema: { type: 'object', properties, required } };
}

/** The request of one operation from its arguments, outside of any flow: { path, query, headers, cookies, soapHeader, body }. */
export function requestMessage(
  operation: ContractOperation,
  types: TypeTable,
  made: Record<string, unknown>,
): { readonly message?: Message; readonly faults: readonly ShapeFault[] } {
  const run = { message: { headers: {}, body: Body.empty() } } as unknown as Run;
  let faults: readonly ShapeFault[] = [];
  try {
    finishFor(operation, types)(run, made, (found) => {
      faults = found;
      throw STOP;
    });
  } catch (error) {
    if (error !== STOP) throw error;
    return { faults };
  }
  return { message: run.message, faults };
}

const STOP = new Error('the request does not fit');
