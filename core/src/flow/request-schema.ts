import { anyBody, asJson } from '../contract';
import { essence, fitsRange, isJson, isXml } from '../message/headers';
import { requestSide, type JsonSchema, type TypeTable } from '../schema';
import type { BodyDocument, OperationDocument } from './document';

type RequestDocument = NonNullable<OperationDocument['request']>;

/** The bodies that an operation takes, its own first. */
export const bodiesOfRequest = (request: RequestDocument): readonly BodyDocument[] =>
  request.others?.length ? [request, ...request.others] : [request];

/** Which of several bodies, the first of them the operation's own, a message of this media type has; its own where none fits. */
export function bodyFor<B extends BodyDocument>(bodies: readonly B[], mediaType: string | undefined): B {
  const own = bodies[0]!;
  if (bodies.length === 1 || mediaType === undefined) return own;
  const given = essence(mediaType);
  const fitting = (test: (has: string) => boolean) =>
    bodies.find((b) => test(essence(b.mediaType ?? 'application/json')));
  return (
    fitting((has) => has === given) ??
    fitting((has) => (isJson(has) && isJson(given)) || (isXml(has) && isXml(given))) ??
    fitting((has) => fitsRange(given, has)) ??
    own
  );
}

/** The body of a request as a flow sees it: that of a form of parts has its files as objects. By the types of requests (`requestTypes`). */
export const requestSchema = ({ request }: OperationDocument, types: TypeTable): JsonSchema | undefined =>
  request?.others?.length
    ? requestSide(anyBody(bodiesOfRequest(request).map((b) => shown(b, types) ?? {})), types)
    : requestSide(request && shown(request, types), types);

const shown = ({ mediaType, schema }: BodyDocument, types: TypeTable): JsonSchema | undefined =>
  schema && asJson({ mediaType: mediaType ?? 'application/json', schema }, types);
