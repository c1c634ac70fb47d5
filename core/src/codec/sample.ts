import { HingeError } from '../problem';
import { inferSchema, type Inferred, type JsonSchema } from '../schema';
import { XmlError } from '../xml';
import { JsonError, readJson } from './json';
import { PLAIN, readPlainDocument } from './xml';

export interface SampleSchema extends Inferred {
  /** Name of the root element, where the samples are XML. */
  readonly root?: string;
  readonly mediaType: 'application/json' | 'application/xml';
}

/**
 * A schema from samples as text, JSON or XML, one or several. XML samples give the schema of their root element's content with the `xml` object
 * (OpenAPI 3.1 §4.8.26) for attributes and names. Throws HNG-121 with the place of the mistake.
 */
export function schemaOfSamples(texts: readonly string[]): SampleSchema {
  const given = texts.filter((t) => t.trim() !== '');
  if (given.length && given.every((t) => t.trimStart().startsWith('<'))) return fromXml(given);
  const values = given.map((t, i) => {
    try {
      return readJson(t);
    } catch (error) {
      const at = error instanceof JsonError ? ` at character ${error.position + 1}` : '';
      throw new HingeError('HNG-121', `sample ${i + 1} is no JSON: ${(error as Error).message}${at}`, {});
    }
  });
  return { ...inferSchema(values), mediaType: 'application/json' };
}

const SETTINGS = { ...PLAIN, typed: true, dropNamespaces: true };

function fromXml(texts: readonly string[]): SampleSchema {
  const roots = texts.map((t, i) => {
    try {
      return readPlainDocument(t, SETTINGS) as Record<string, unknown>;
    } catch (error) {
      const at = error instanceof XmlError ? ` (line ${error.line})` : '';
      throw new HingeError('HNG-121', `sample ${i + 1} is no XML: ${(error as Error).message}${at}`, {});
    }
  });
  const name = Object.keys(roots[0]!)[0]!;
  const lists = new Set<string>();
  for (const r of roots) findLists(r, lists);
  const { schema, enums } = inferSchema(roots.map((r) => spread(r[name], lists)));
  const body = schema.type === 'object' ? asXml(schema) : schema;
  return { schema: { ...body, xml: { name } }, enums, root: name, mediaType: 'application/xml' };
}

/** Elements that stood more than once somewhere are lists everywhere. */
function findLists(v: unknown, lists: Set<string>): void {
  if (Array.isArray(v)) {
    v.forEach((x) => findLists(x, lists));
    return;
  }
  if (v === null || typeof v !== 'object') return;
  for (const [k, x] of Object.entries(v)) {
    if (Array.isArray(x)) lists.add(k);
    findLists(x, lists);
  }
}

function spread(v: unknown, lists: ReadonlySet<string>): unknown {
  if (Array.isArray(v)) return v.map((x) => spread(x, lists));
  if (v === null || typeof v !== 'object' || !isPlain(v)) return v;
  return Object.fromEntries(
    Object.entries(v).map(([k, x]) => {
      const inner = spread(x, lists);
      return [k, lists.has(k) && !Array.isArray(inner) ? [inner] : inner];
    }),
  );
}

const isPlain = (v: object): boolean =>
  Object.getPrototypeOf(v) === Object.prototype || Object.getPrototypeOf(v) === null;

/** Members of the general form with their marks taken off: @id is an attribute, #text the text beside attributes. */
function asXml(schema: JsonSchema): JsonSchema {
  if (schema.items) return { ...schema, items: asXml(schema.items) };
  if (!schema.properties) return schema;
  const properties: Record<string, JsonSchema> = {};
  const renamed = new Map<string, string>();
  for (const [k, s] of Object.entries(schema.properties)) {
    const attribute = k.startsWith(PLAIN.attribute);
    const name = attribute ? k.slice(PLAIN.attribute.length) : k === PLAIN.text ? 'value' : k;
    renamed.set(k, name);
    properties[name] = attribute ? { ...s, xml: { attribute: true } } : asXml(s);
  }
  const required = schema.required?.map((r) => renamed.get(r) ?? r);
  return { ...schema, properties, ...(required && { required }) };
}
