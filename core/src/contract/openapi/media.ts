import { isTable } from '../../codec/csv';
import { formAsJson } from '../../codec/multipart';
import { essence, isCsv, isForm, isJson, isMultipart, isXml } from '../../message/headers';
import { typesOf, type JsonSchema, type TypeTable } from '../../schema';
import type { HttpMedia } from './model';

/**
 * What of several media types is worked with: JSON, else XML, else a form, else the first. A range of types that has members or items is
 * JSON (common practice: generators write one where nobody said a type).
 */
export function preferredMedia(media: readonly HttpMedia[]): HttpMedia | undefined {
  const by = (test: RegExp) => media.find((m) => test.test(m.mediaType));
  const found = by(/^application\/json\b|\+json\b/i) ?? by(/[/+]xml\b/i) ?? by(/x-www-form-urlencoded/i) ?? media[0];
  if (!found) return undefined;
  const json = /^(\*|application)\/\*$/.test(found.mediaType) && isStructured(found.schema);
  const schema = media.length > 1 ? asInXml(found, media) : found.schema;
  return { ...found, schema, ...(json && { mediaType: 'application/json' }) };
}

/** What is JSON here is XML too, by the names that the XML of the same shape has, where only that one has them. */
function asInXml({ mediaType, schema }: HttpMedia, media: readonly HttpMedia[]): JsonSchema {
  if (!isJson(mediaType) || 'xml' in schema) return schema;
  const shape = shapeText(schema);
  const xml = media.find((m) => isXml(m.mediaType) && JSON.stringify(m.schema).includes('"xml":'));
  return xml && shapeText(xml.schema) === shape ? xml.schema : schema;
}

function isStructured(s: JsonSchema): boolean {
  const kinds = typesOf(s).filter((t) => t !== 'null' && t !== 'string');
  return kinds.length > 0 || Boolean(s.$ref ?? s.properties ?? s.items ?? s.allOf ?? s.oneOf ?? s.anyOf);
}

/**
 * The bodies that a message may have: the preferred one first, then those that no turning of its form gives, since they hold something else
 * or are no JSON, XML, form or table (§4.8.14: each media type has a schema of its own).
 */
export function bodiesOf(media: readonly HttpMedia[], types: TypeTable): HttpMedia[] {
  const own = preferredMedia(media);
  return own ? [own, ...othersThan(own, media, types)] : [];
}

/** Those of a message's media types that no turning of its own gives. */
export function othersThan<M extends Pick<HttpMedia, 'mediaType' | 'schema'>>(
  own: M,
  media: readonly M[],
  types: TypeTable,
): M[] {
  const shape = shapeText(own.schema);
  const turns = isTurned(own, types);
  const seen = new Set([essence(own.mediaType)]);
  return media.filter((m) => {
    const e = essence(m.mediaType);
    if (seen.has(e) || (m.schema === own.schema && m.mediaType.includes('*'))) return false;
    seen.add(e);
    return !(turns && isTurned(m, types) && shapeText(m.schema) === shape);
  });
}

/** Forms that a door turns into each other by the schema. */
function isTurned({ mediaType: m, schema }: Pick<HttpMedia, 'mediaType' | 'schema'>, types: TypeTable): boolean {
  return isJson(m) || isXml(m) || isForm(m) || isMultipart(m) || (isCsv(m) && isTable(schema, types));
}

/** A schema without what only describes it, or says how it stands in XML. */
const shapeText = (s: JsonSchema | undefined): string =>
  JSON.stringify(s, (key, v: unknown) => (DESCRIBES.has(key) ? undefined : v)) ?? '';
const DESCRIBES = new Set(['xml', 'title', 'description', 'examples', 'deprecated']);

/** What a body of this media type is as JSON: that of a form of parts has its files as objects. */
export const asJson = ({ mediaType, schema }: Pick<HttpMedia, 'mediaType' | 'schema'>, types: TypeTable): JsonSchema =>
  isMultipart(mediaType) ? formAsJson(schema, types) : schema;

/** A body of one of several schemas; one where they are the same. */
export function anyBody(schemas: readonly JsonSchema[]): JsonSchema | undefined {
  const [first] = schemas;
  const different = schemas.filter((s, i) => schemas.findIndex((x) => shapeText(x) === shapeText(s)) === i);
  return different.length > 1 ? { anyOf: different } : first;
}
