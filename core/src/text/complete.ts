import { parseDocument } from 'yaml';
import type { TextFormat } from './patch';

/** What may stand at a place of an OpenAPI text, by the JSON Schema of OpenAPI. Pure; the schema is given. */

type Tree = Record<string, unknown>;
const isTree = (v: unknown): v is Tree => v !== null && typeof v === 'object' && !Array.isArray(v);

export interface Completion {
  readonly label: string;
  readonly kind: 'key' | 'value';
  readonly detail?: string;
}

export interface Completions {
  /** Where the word begins that is being written. */
  readonly from: number;
  readonly options: readonly Completion[];
}

/** Keywords of JSON Schema 2020-12 that a Schema Object takes. */
const KEYWORDS =
  'type properties required items enum const format description title default examples $ref allOf anyOf oneOf not minimum maximum exclusiveMinimum exclusiveMaximum multipleOf minLength maxLength pattern minItems maxItems uniqueItems prefixItems additionalProperties patternProperties unevaluatedProperties minProperties maxProperties discriminator xml deprecated readOnly writeOnly'.split(
    ' ',
  );
const TYPES = ['string', 'number', 'integer', 'boolean', 'object', 'array', 'null'];
const FORMATS = ['date', 'date-time', 'time', 'duration', 'email', 'uri', 'uuid', 'int32', 'int64', 'double', 'byte'];
const MEDIA = ['application/json', 'application/xml', 'text/plain', 'application/x-www-form-urlencoded', 'text/csv'];
const STATUSES = ['200', '201', '202', '204', '400', '401', '403', '404', '409', '422', '429', '500', '503', 'default'];
const MARK = 'hingecursor';

/** Completions at an offset, or undefined where none can be told. */
export function completeText(
  source: string,
  offset: number,
  format: TextFormat,
  schema: unknown,
): Completions | undefined {
  const lineStart = source.lastIndexOf('\n', offset - 1) + 1;
  const before = source.slice(lineStart, offset);
  const word = /["']?[\w$/#{}.*+-]*$/.exec(before)![0];
  const from = offset - word.length;
  const end = offset + /^[\w$/#{}.*+-]*["']?/.exec(source.slice(offset))![0].length;
  const lead = before.slice(0, before.length - word.length);
  const rest = source.slice(end, source.indexOf('\n', end) < 0 ? undefined : source.indexOf('\n', end));
  const beginning = source.slice(0, from).trimEnd().slice(-1);
  const isKey =
    format === 'json' ? beginning === '{' || beginning === ',' : /^\s*(- *)*$/.test(lead) || /[{,]\s*$/.test(lead);
  const hasColon = /^\s*:/.test(rest);
  const inFlow = format === 'json' || /[{[,]\s*$/.test(lead);
  const marked = isKey
    ? `${inFlow ? `"${MARK}"` : MARK}${hasColon ? '' : ': 0'}${inFlow && !/^\s*[,}\]:]|^\s*$/.test(rest) ? ',' : ''}`
    : `"${MARK}"`;
  const value: unknown = parseDocument(source.slice(0, from) + marked + source.slice(end), {
    uniqueKeys: false,
    logLevel: 'silent',
  }).toJS({ maxAliasCount: 100 });
  const path = pathOfMark(value, isKey);
  if (!path) return undefined;
  const at = isKey ? path.slice(0, -1) : path;
  const nodes = walk(schema, at);
  const node = at.reduce<unknown>((n, part) => (isTree(n) || Array.isArray(n) ? (n as Tree)[part] : undefined), value);
  const has = new Set(isTree(node) ? Object.keys(node) : []);
  const options = isKey ? keysFor(nodes, at, has) : valuesFor(nodes, at, value);
  return { from, options };
}

function pathOfMark(node: unknown, asKey: boolean, depth = 60): string[] | undefined {
  if (depth === 0) return undefined;
  if (!asKey && node === MARK) return [];
  if (node === null || typeof node !== 'object') return undefined;
  for (const [key, v] of Object.entries(node)) {
    if (asKey && key === MARK) return [key];
    const found = pathOfMark(v, asKey, depth - 1);
    if (found) return [key, ...found];
  }
  return undefined;
}

/** All subschemas that a path reaches; 'schema' stands for any Schema Object. */
function walk(root: unknown, path: readonly string[]): (Tree | 'schema')[] {
  let here: (Tree | 'schema')[] = open(root, root);
  for (const part of path)
    here = here.flatMap((s): (Tree | 'schema')[] => {
      if (s === 'schema') return insideSchema(part);
      const next: unknown[] = [];
      if (isTree(s.properties) && s.properties[part] !== undefined) next.push(s.properties[part]);
      for (const [pattern, sub] of Object.entries((s.patternProperties ?? {}) as Tree))
        if (new RegExp(pattern, 'u').test(part)) next.push(sub);
      if (!next.length && isTree(s.additionalProperties)) next.push(s.additionalProperties);
      if (/^\d+$/.test(part) && isTree(s.items)) next.push(s.items);
      return next.flatMap((n) => open(n, root));
    });
  return here;
}

/** Below a Schema Object names of properties come and go; every other level is a Schema Object again. */
function insideSchema(part: string): (Tree | 'schema')[] {
  if (part === 'properties' || part === 'patternProperties' || part === '$defs')
    return [{ additionalProperties: { $dynamicRef: '#meta' } }];
  if (part === 'allOf' || part === 'anyOf' || part === 'oneOf' || part === 'prefixItems')
    return [{ items: { $dynamicRef: '#meta' } }];
  if (part === 'items' || part === 'not' || part === 'additionalProperties') return ['schema'];
  if (part === 'type') return [{ enum: TYPES }];
  if (part === 'format') return [{ enum: FORMATS }];
  return part === '$ref' ? [{ reference: true }] : [{}];
}

/** A subschema with everything it refers to and combines. */
function open(node: unknown, root: unknown, depth = 12): (Tree | 'schema')[] {
  if (!isTree(node) || depth === 0) return [];
  if (node.$dynamicRef === '#meta') return ['schema'];
  const more: unknown[] = [];
  if (typeof node.$ref === 'string' && node.$ref.startsWith('#/'))
    more.push(
      node.$ref
        .slice(2)
        .split('/')
        .reduce<unknown>((n, p) => (isTree(n) ? n[p] : undefined), root),
    );
  for (const key of ['allOf', 'anyOf', 'oneOf']) if (Array.isArray(node[key])) more.push(...(node[key] as unknown[]));
  for (const key of ['then', 'else']) if (node[key]) more.push(node[key]);
  if (isTree(node.dependentSchemas)) more.push(...Object.values(node.dependentSchemas));
  return [node, ...more.flatMap((m) => open(m, root, depth - 1))];
}

function keysFor(nodes: readonly (Tree | 'schema')[], at: readonly string[], has: ReadonlySet<string>): Completion[] {
  const names = new Map<string, string | undefined>();
  for (const n of nodes) {
    if (n === 'schema') for (const k of KEYWORDS) names.set(k, 'schema');
    else {
      for (const k of Object.keys((n.properties ?? {}) as Tree)) names.set(k, requiredOf(n, k));
      // A pattern that is a list of names: the methods of a path.
      for (const pattern of Object.keys((n.patternProperties ?? {}) as Tree))
        for (const k of /^\^\(([a-z|]+)\)\$$/.exec(pattern)?.[1]?.split('|') ?? []) names.set(k, undefined);
    }
  }
  if (at.at(-1) === 'content') for (const m of MEDIA) names.set(m, 'media type');
  if (at.at(-1) === 'responses') for (const s of STATUSES) names.set(s, 'status');
  return [...names]
    .filter(([name]) => !has.has(name))
    .map(([label, detail]) => ({ label, kind: 'key' as const, ...(detail && { detail }) }));
}

const requiredOf = (n: Tree, key: string): string | undefined =>
  Array.isArray(n.required) && n.required.includes(key) ? 'required' : undefined;

function valuesFor(nodes: readonly (Tree | 'schema')[], at: readonly string[], value: unknown): Completion[] {
  const words = new Set<string>();
  const references = at.at(-1) === '$ref';
  for (const n of nodes) {
    if (n === 'schema') continue;
    for (const e of Array.isArray(n.enum) ? n.enum : n.const === undefined ? [] : [n.const]) words.add(String(e));
    if (n.type === 'boolean') for (const b of ['true', 'false']) words.add(b);
  }
  if (references && isTree(value) && isTree(value.components))
    for (const [kind, parts] of Object.entries(value.components))
      if (isTree(parts)) for (const name of Object.keys(parts)) words.add(`#/components/${kind}/${name}`);
  if (at.at(-2) === 'required' && isTree(value)) {
    const owner = at.slice(0, -2).reduce<unknown>((n, p) => (isTree(n) ? n[p] : undefined), value);
    if (isTree(owner) && isTree(owner.properties)) for (const name of Object.keys(owner.properties)) words.add(name);
  }
  return [...words].map((label) => ({ label, kind: 'value' }));
}
