import { FORM_STYLES } from './encoding';
import { isTree, type Tree } from './tree';

/** A document that is being changed. */
type Draft = Record<string, unknown>;
const isDraft = (v: unknown): v is Draft => isTree(v);

/**
 * An OpenAPI 2.0 document put so that the upgrader to 3.1 leaves nothing out of it: an operation's `produces` and `consumes` go before
 * those of the document (Operation Object), parameters that become bodies and replies stand where they are used, and fields of forms are
 * one body that keeps their rules. Changes what it is given.
 */
export function beforeTwo(document: Draft): Draft {
  const shared = isTree(document.parameters) ? document.parameters : {};
  const replies = isTree(document.responses) ? document.responses : {};
  const paths = isTree(document.paths) ? document.paths : {};
  for (const item of Object.values(paths)) {
    if (!isDraft(item)) continue;
    const common = list(item.parameters).map((p) => deref(p, shared, 'parameters'));
    if (item.parameters !== undefined) item.parameters = common.filter((p) => !isBody(p));
    for (const method of METHODS) {
      const operation = item[method];
      if (!isDraft(operation)) continue;
      for (const kind of ['produces', 'consumes'])
        if (operation[kind] === undefined && document[kind] !== undefined) operation[kind] = document[kind];
      const own = list(operation.parameters).map((p) => deref(p, shared, 'parameters'));
      const all = [...common.filter((c) => isBody(c) && !own.some((o) => sameParameter(o, c))), ...own];
      const rest = all.filter((p) => !(isTree(p) && p.in === 'formData'));
      const fields = all.filter((p): p is Tree => isTree(p) && p.in === 'formData');
      if (fields.length) {
        rest.push(formOf(fields));
        operation.consumes = formMedia(operation.consumes, fields);
      }
      if (rest.length || operation.parameters !== undefined) operation.parameters = rest;
      const { responses } = operation;
      if (isDraft(responses))
        for (const status of Object.keys(responses)) responses[status] = deref(responses[status], replies, 'responses');
    }
  }
  delete document.produces;
  delete document.consumes;
  return document;
}

const METHODS = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch'] as const;

const list = (value: unknown): unknown[] => (Array.isArray(value) ? (value as unknown[]) : []);
const isBody = (p: unknown): boolean => isTree(p) && (p.in === 'body' || p.in === 'formData');
const sameParameter = (a: unknown, b: unknown): boolean =>
  isTree(a) && isTree(b) && a.in === b.in && (a.in === 'body' || a.name === b.name);

/** What a reference within the document names, where that is to stand where it is used. */
function deref(value: unknown, shared: Tree, kind: 'parameters' | 'responses'): unknown {
  const ref = isTree(value) && typeof value.$ref === 'string' ? value.$ref : undefined;
  if (ref === undefined || !ref.startsWith(`#/${kind}/`)) return value;
  const found =
    shared[
      ref
        .slice(kind.length + 3)
        .replace(/~1/g, '/')
        .replace(/~0/g, '~')
    ];
  return isTree(found) && (kind === 'responses' || isBody(found)) ? structuredClone(found) : value;
}

/** Of the media types of an operation those that a form can have; a file needs parts. */
function formMedia(consumes: unknown, fields: readonly Tree[]): string[] {
  const said = list(consumes).filter(
    (m): m is string => typeof m === 'string' && /^(multipart\/form-data|application\/x-www-form-urlencoded)/i.test(m),
  );
  if (said.length) return said;
  return [fields.some((f) => f.type === 'file') ? 'multipart/form-data' : 'application/x-www-form-urlencoded'];
}

/** What a parameter says that is not part of its schema. */
const BESIDE = new Set(['name', 'in', 'required', 'description', 'collectionFormat', 'allowEmptyValue', 'type']);
const COLLECTIONS: Readonly<Record<string, Tree>> = {
  csv: { style: 'form', explode: false },
  ssv: { style: 'spaceDelimited', explode: false },
  pipes: { style: 'pipeDelimited', explode: false },
  multi: { style: 'form', explode: true },
};

function formOf(fields: readonly Tree[]): Tree {
  const properties: Draft = {};
  const required: string[] = [];
  const styles: Draft = {};
  for (const f of fields) {
    const name = String(f.name);
    const rules = Object.fromEntries(Object.entries(f).filter(([key]) => !BESIDE.has(key)));
    properties[name] = {
      ...(f.description !== undefined && { description: f.description }),
      ...(f.type === 'file' ? { type: 'string', format: 'binary' } : f.type !== undefined && { type: f.type }),
      ...rules,
    };
    if (f.required === true) required.push(name);
    // Commas where nothing is said (2.0, Parameter Object); tabs have no style in 3.1.
    if (f.type === 'array') styles[name] = COLLECTIONS[String(f.collectionFormat ?? 'csv')];
  }
  return {
    name: 'form',
    in: 'body',
    ...(required.length && { required: true }),
    schema: {
      type: 'object',
      properties,
      ...(required.length && { required }),
      ...(Object.keys(styles).length && { [FORM_STYLES]: styles }),
    },
  };
}
