import { isTable } from '../codec/csv';
import type { FlowDocument } from '../flow/document';
import { isJson, isXml } from '../message/headers';
import { resolveSchema, typesOf, type JsonSchema, type TypeTable } from '../schema';
import type { AuthoredOperation } from './openapi';

type Content = Record<string, Record<string, unknown>>;

/** With every media type that the door reads and writes a message in, where the operation has one that can be turned. */
export function inForms(
  described: AuthoredOperation,
  door: FlowDocument['doors'][number] | undefined,
  types: TypeTable,
): Record<string, unknown> {
  const answers = door?.answers;
  const { requestBody, responses } = described;
  const taken = { xml: answers !== 'json', csv: true, only: false };
  const given = { xml: answers !== 'json', csv: answers === undefined, only: answers === 'xml' };
  return {
    ...described,
    ...(requestBody && { requestBody: { ...requestBody, content: forms(requestBody.content, types, taken) } }),
    responses: Object.fromEntries(
      Object.entries(responses).map(([status, r]) => [
        status,
        r.content ? { ...r, content: forms(r.content, types, given) } : r,
      ]),
    ),
  };
}

interface Forms {
  readonly xml: boolean;
  readonly csv: boolean;
  /** XML, and nothing else. */
  readonly only: boolean;
}

/** JSON and XML say the same by the schema's xml objects; a list stands as CSV too. What is one value is JSON alone. */
function forms(content: Content, types: TypeTable, can: Forms): Content {
  const [[own, media] = [undefined, undefined]] = Object.entries(content);
  if (!own || !media?.schema || !(isJson(own) || isXml(own))) return content;
  const schema = media.schema as JsonSchema;
  const xml = isXml(own) ? own : own.includes('problem+') ? 'application/problem+xml' : 'application/xml';
  if (can.only) return { [xml]: { schema } };
  const kinds = typesOf(resolveSchema(named(schema), types));
  if (own.includes('problem+') || (kinds.length && !kinds.includes('object') && !kinds.includes('array')))
    return content;
  return {
    ...content,
    ...(isXml(own) && { 'application/json': { schema } }),
    ...(can.xml && !isXml(own) && { [xml]: { schema } }),
    ...(can.csv && isTable(named(schema), types) && { 'text/csv': { schema } }),
    // What stands here of itself says more than what own can be turned into.
    ...content,
  };
}

/** A schema whose reference the exported document has turned to its components. */
const named = (schema: JsonSchema): JsonSchema =>
  schema.$ref === undefined ? schema : { ...schema, $ref: schema.$ref.replace('#/components/schemas/', '#/types/') };
