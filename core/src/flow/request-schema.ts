import { formAsJson } from '../codec/multipart';
import { isMultipart } from '../message/headers';
import type { JsonSchema, TypeTable } from '../schema';
import type { OperationDocument } from './document';

/** The body of a request as a flow sees it: that of a form of parts has its files as objects. */
export const requestSchema = ({ request }: OperationDocument, types: TypeTable): JsonSchema | undefined =>
  request?.schema && isMultipart(request.mediaType) ? formAsJson(request.schema, types) : request?.schema;
