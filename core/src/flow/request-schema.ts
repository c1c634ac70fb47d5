import { formAsJson } from '../codec/multipart';
import { isMultipart } from '../message/headers';
import { requestSide, type JsonSchema, type TypeTable } from '../schema';
import type { OperationDocument } from './document';

/** The body of a request as a flow sees it: that of a form of parts has its files as objects. By the types of requests (`requestTypes`). */
export const requestSchema = ({ request }: OperationDocument, types: TypeTable): JsonSchema | undefined =>
  requestSide(
    request?.schema && isMultipart(request.mediaType) ? formAsJson(request.schema, types) : request?.schema,
    types,
  );
