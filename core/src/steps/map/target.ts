import { asJson, bodiesOf, type ContractOperation } from '../../contract';
import { essence } from '../../message/headers';
import { finding, type Finding, type Place } from '../../problem';
import {
  replySide,
  replyTypes,
  requestSide,
  requestTypes,
  resolveSchema,
  type JsonSchema,
  type TypeTable,
} from '../../schema';
import type { StepContext } from '../kind';
import type { Target } from './coverage';
import type { MapDocument } from './schema';
import { httpTarget } from './to-backend';

/** What a map writes to: the reply of the operation, or the request of a backend operation. */
export function targetOf(step: MapDocument, context: StepContext): Target | Finding {
  if (step.to === 'reply') {
    const body = replySide(context.operation.reply?.schema ?? {}, context.types);
    return {
      words: 'the reply',
      types: replyTypes(context.types),
      schema: {
        type: 'object',
        properties: { body, headers: { type: 'object' }, status: { type: 'integer' } },
        required: resolveSchema(body, context.types).required?.length ? ['body'] : [],
      },
    };
  }
  if (step.to === 'request')
    return {
      words: 'the request',
      types: requestTypes(context.types),
      schema: {
        type: 'object',
        properties: {
          body: requestSide(context.operation.request?.schema ?? {}, context.types),
          headers: { type: 'object' },
        },
      },
    };
  const place = { ...context.place, pointer: `${context.place.pointer}/to` };
  if (step.to.backend === undefined) return innerTarget(step.to, context, place);
  const backend = context.backend(step.to.backend);
  if (!backend) return finding('HNG-302', `there is no backend ${step.to.backend}`, place);
  const wanted = step.to.operation;
  const operation = backend.contract?.operations.find((o) => o.id === wanted);
  if (!operation) return finding('HNG-302', `the backend ${step.to.backend} has no operation ${wanted}`, place);
  if (operation.unusable)
    return finding('HNG-302', `the operation ${wanted} cannot be called: ${operation.unusable}`, place);
  const properties: Record<string, JsonSchema> = {};
  if (operation.http) {
    const { types } = backend.contract!;
    const chosen = withBody(operation, step.to.mediaType, types, place);
    if (isFinding(chosen)) return chosen;
    return {
      ...httpTarget(chosen, types),
      types: requestTypes(types),
      operation: chosen,
      backend: backend.name,
      words: `${operation.id} of ${backend.name}`,
    };
  }
  const required = ['body'];
  if (operation.request.headers.length) {
    const headers = operation.request.headers;
    properties.soapHeader = {
      type: 'object',
      properties: Object.fromEntries(headers.map((h) => [h.name, h.schema])),
      required: headers.filter((h) => h.required).map((h) => h.name),
      additionalProperties: false,
    };
    required.push('soapHeader');
  }
  properties.body = operation.request.body;
  properties.headers = { type: 'object' };
  return {
    words: `${operation.id} of ${backend.name}`,
    schema: { type: 'object', properties, required },
    types: backend.contract!.types,
    operation,
    backend: backend.name,
  };
}

function innerTarget(
  { operation: id, api, mediaType }: Exclude<MapDocument['to'], string>,
  context: StepContext,
  place: Place,
): Target | Finding {
  const inner = context.inner(id, api);
  const words = api === undefined ? id : `${id} of ${api}`;
  if (!inner) return finding('HNG-302', `there is no operation ${words} in this gateway`, place);
  const operation = withBody(inner.operation, mediaType, inner.types, place);
  if (isFinding(operation)) return operation;
  return { ...httpTarget(operation, inner.types), types: inner.types, operation, words };
}

/** The operation as if it took the body of this media type alone. */
function withBody(
  operation: ContractOperation,
  mediaType: string | undefined,
  types: TypeTable,
  place: Place,
): ContractOperation | Finding {
  const { http } = operation;
  if (mediaType === undefined || !http) return operation;
  const bodies = bodiesOf(http.request?.media ?? [], types);
  const media = bodies.find((b) => essence(b.mediaType) === essence(mediaType));
  if (!media)
    return finding(
      'HNG-302',
      `${operation.id} takes no ${mediaType}`,
      { ...place, pointer: `${place.pointer}/mediaType` },
      bodies.length ? `Choose one of ${bodies.map((b) => b.mediaType).join(', ')}, or none.` : 'It takes no body.',
    );
  return {
    ...operation,
    request: { ...operation.request, body: asJson(media, types), mediaType: media.mediaType },
    http: { ...http, request: { ...http.request!, media: [media] } },
  };
}

export const isFinding = <T extends object>(t: T | Finding): t is Finding => 'severity' in t;
