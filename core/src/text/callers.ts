import { othersThan } from '../contract';
import { encodingOf, formStylesOf } from '../contract/openapi/encoding';
import { authoredOperation, isDescribed, NO_WORDS, openApiHead, outward } from '../export/openapi';
import { operationSchema, type FlowDocument, type OperationDocument, type ParameterDocument } from '../flow/document';
import { firstCase, idFor, newOperation, renameOperation } from '../flow/operations';
import { finding, type Finding, type Place } from '../problem';
import type { JsonSchema } from '../schema';

/** What callers see of an API as an OpenAPI 3.1 value, and back. Flows, doors and guards have no place in it and stay as they are. */

type Tree = Record<string, unknown>;
type Path = readonly (string | number)[];

const isTree = (v: unknown): v is Tree => v !== null && typeof v === 'object' && !Array.isArray(v);
const METHODS = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch'] as const;
/** Members of a Path Item Object that are no operation (OpenAPI 3.1 §4.8.9). */
const BESIDE = new Set(['summary', 'description', 'servers', 'parameters']);

/** The value that stands for the document: only what a person said. Keys in the order in which OpenAPI lists them. */
export function callersOpenApi(document: FlowDocument): Tree {
  const paths: Record<string, Tree> = {};
  for (const [id, o] of Object.entries(document.operations))
    if (isDescribed(o)) (paths[o.path] ??= {})[o.method.toLowerCase()] = authoredOperation(id, o);
  const types = Object.entries(document.types ?? {});
  return {
    ...openApiHead(document),
    paths,
    ...(types.length && {
      components: { schemas: Object.fromEntries(types.map(([name, schema]) => [name, outward(schema)])) },
    }),
  };
}

export interface Applied {
  readonly document: FlowDocument;
  readonly findings: readonly Finding[];
  /** Operations of the document that the text no longer has. They are kept: their flows would go with them. */
  readonly gone: readonly string[];
}

/**
 * The document with what the text says. An operation is known by its operationId, else by method and path; a new one answers from its examples. What cannot
 * be served is a finding, and that part stays as it was.
 */
export function applyCallers(document: FlowDocument, value: unknown, placeOf: (path: Path) => Place): Applied {
  const findings: Finding[] = [];
  const refuse = (path: Path, words: string) => void findings.push(finding('HNG-205', words, placeOf(path)));
  const note = (path: Path, words: string) => void findings.push(finding('HNG-206', words, placeOf(path)));
  if (!isTree(value) || !isTree(value.paths ?? {})) {
    refuse([], 'an OpenAPI document is a mapping with openapi, info and paths');
    return { document, findings, gone: [] };
  }
  if (!/^3\.1\.\d+$/.test(String(value.openapi)))
    refuse(
      ['openapi'],
      `the text is ${String(value.openapi ?? 'of no version')}; OpenAPI 3.1 is written here, e.g. 3.1.0`,
    );
  const read = new Reader(value, refuse, note);
  for (const part of ['servers', 'security', 'webhooks'])
    if (value[part] !== undefined) note([part], `${part} is for readers of the text; doors and guards say it here`);
  let next = withInfo(document, value.info);
  const types = isTree(value.components) && isTree(value.components.schemas) ? value.components.schemas : {};
  if (Object.keys(types).length || next.types)
    next = { ...next, types: Object.fromEntries(Object.entries(types).map(([k, v]) => [k, inward(v) as JsonSchema])) };
  const seen = new Set<string>();
  for (const [path, item] of Object.entries((value.paths ?? {}) as Tree)) {
    if (path.startsWith('x-')) continue;
    const at = ['paths', path];
    if (!path.startsWith('/')) {
      refuse(at, `the path ${path} must start with /`);
      continue;
    }
    if (!isTree(item)) continue;
    for (const [method, given] of Object.entries(item)) {
      if (BESIDE.has(method) || method.startsWith('x-')) continue;
      if (!METHODS.includes(method as never) || !isTree(given)) {
        refuse([...at, method], `${method} of ${path} is no operation that can be served`);
        continue;
      }
      const METHOD = method.toUpperCase() as OperationDocument['method'];
      next = withOperation(next, read, seen, [...at, method], { method: METHOD, path, given, shared: item.parameters });
    }
  }
  const gone = Object.entries(next.operations).flatMap(([id, o]) => (isDescribed(o) && !seen.has(id) ? [id] : []));
  return { document: next, findings, gone };
}

function withInfo(document: FlowDocument, info: unknown): FlowDocument {
  if (!isTree(info)) return document;
  const text = (v: unknown) => (v === undefined || v === null ? undefined : String(v));
  const { description: _was, ...api } = document.api;
  const description = text(info.description);
  return {
    ...document,
    api: {
      ...api,
      name: text(info.title) || api.name,
      version: text(info.version) || api.version,
      ...(description && { description }),
    },
  };
}

interface GivenOperation {
  readonly method: OperationDocument['method'];
  readonly path: string;
  readonly given: Tree;
  readonly shared: unknown;
}

function withOperation(
  document: FlowDocument,
  read: Reader,
  seen: Set<string>,
  at: Path,
  { method, path, given, shared }: GivenOperation,
): FlowDocument {
  const wanted = typeof given.operationId === 'string' ? given.operationId : undefined;
  const standing = Object.entries(document.operations).find(
    ([, o]) => isDescribed(o) && o.method === method && o.path === path,
  )?.[0];
  const taken = (id: string) => document.operations[id] !== undefined || seen.has(id);
  const id = wanted ?? standing ?? idFor(method, path, taken);
  if (seen.has(id)) {
    read.refuse([...at, 'operationId'], `the operationId ${id} is used twice`);
    return document;
  }
  let next = document;
  if (document.operations[id] === undefined && standing !== undefined && !seen.has(standing)) {
    next = renameOperation(document, standing, id);
  } else if (document.operations[id] && !isDescribed(document.operations[id])) {
    read.refuse([...at, 'operationId'], `${id} is the name of an operation that OpenAPI cannot describe`);
    return document;
  }
  const had = next.operations[id];
  const operation = operationFrom(had ?? newOperation(method, path), read, at, { method, path, given, shared });
  const judged = operationSchema.safeParse({ ...operation, flow: [] });
  const name = /^[A-Za-z_][A-Za-z0-9_-]{0,99}$/;
  if (!judged.success || !name.test(id)) {
    const issue = judged.error?.issues[0];
    if (!name.test(id))
      read.refuse([...at, 'operationId'], `${id} must start with a letter and hold only letters, digits, _ and -`);
    else read.refuse(at, `${method} ${path}: ${issue!.path.join('.')}: ${issue!.message}`);
    if (document.operations[standing ?? id]) seen.add(standing ?? id);
    return document;
  }
  seen.add(id);
  return {
    ...next,
    operations: { ...next.operations, [id]: operation },
    ...(!had && { cases: [...(next.cases ?? []), firstCase(id, operation)] }),
  };
}

function operationFrom(had: OperationDocument, read: Reader, at: Path, g: GivenOperation): OperationDocument {
  const { given } = g;
  for (const part of ['callbacks', 'security', 'servers', 'deprecated', 'externalDocs'])
    if (given[part] !== undefined) read.note([...at, part], `${part} of ${g.method} ${g.path}`);
  const parameters = read.parameters(at, g.shared, given.parameters, had.parameters);
  const {
    summary: _s,
    description: _d,
    tags: _t,
    parameters: _p,
    request: _r,
    reply: _y,
    otherReplies: _o,
    ...rest
  } = had;
  const text = (v: unknown) => (typeof v === 'string' && v ? v : undefined);
  const replies = read.replies([...at, 'responses'], given.responses, had);
  const request = read.request([...at, 'requestBody'], given.requestBody, had.request);
  return {
    ...rest,
    method: g.method,
    path: g.path,
    ...(text(given.summary) && { summary: text(given.summary) }),
    ...(text(given.description) && { description: text(given.description) }),
    ...(Array.isArray(given.tags) && { tags: given.tags.map(String) }),
    ...(parameters.length && { parameters }),
    ...(request && { request }),
    ...replies,
  };
}

/** Reads the parts of an operation; references into the same text are opened. */
class Reader {
  constructor(
    private readonly root: Tree,
    readonly refuse: (path: Path, words: string) => void,
    readonly note: (path: Path, words: string) => void,
  ) {}

  private open(v: unknown, at: Path, depth = 8): Tree | undefined {
    if (!isTree(v)) return undefined;
    if (typeof v.$ref !== 'string') return v;
    const parts = v.$ref.startsWith('#/') ? v.$ref.slice(2).split('/') : [];
    let node: unknown = parts.length ? this.root : undefined;
    for (const part of parts)
      node = isTree(node) ? node[decodeURIComponent(part.replace(/~1/g, '/').replace(/~0/g, '~'))] : undefined;
    if (node === undefined || depth === 0) {
      this.refuse(at, `the reference ${v.$ref} leads nowhere in this text`);
      return undefined;
    }
    return this.open(node, at, depth - 1);
  }

  parameters(at: Path, shared: unknown, own: unknown, had: readonly ParameterDocument[] = []): ParameterDocument[] {
    const all = new Map<string, ParameterDocument>();
    const add = (list: unknown, from: Path) => {
      for (const [n, entry] of (Array.isArray(list) ? list : []).entries()) {
        const p = this.open(entry, [...from, n]);
        if (!p || typeof p.name !== 'string') continue;
        const before = had.find((x) => x.name === p.name && x.in === p.in);
        const [mediaType, media] = Object.entries(isTree(p.content) ? p.content : {})[0] ?? [];
        const { description: _d, style: _s, explode: _e, mediaType: _m, ...kept } = before ?? {};
        all.set(`${String(p.in)} ${p.name}`, {
          ...kept,
          name: p.name,
          in: p.in as ParameterDocument['in'],
          ...(typeof p.description === 'string' && { description: p.description }),
          required: p.required === true || p.in === 'path' ? true : undefined,
          schema: inward(p.schema ?? (isTree(media) ? media.schema : undefined) ?? {}) as JsonSchema,
          ...(typeof p.style === 'string' && { style: p.style as ParameterDocument['style'] }),
          ...(typeof p.explode === 'boolean' && { explode: p.explode }),
          ...(mediaType !== undefined && { mediaType }),
        });
      }
    };
    add(shared, [...at.slice(0, -1), 'parameters']);
    add(own, [...at, 'parameters']);
    return [...all.values()].map(({ required, ...p }) => (required ? { ...p, required } : p));
  }

  /** The first media type of a content map; others are told and stay in the text, but `kept` ones. */
  private media(
    content: unknown,
    at: Path,
    kept: readonly { readonly mediaType: string }[] = [],
  ): { mediaType?: string; schema?: JsonSchema; examples?: unknown } {
    if (!isTree(content)) return {};
    const [first, ...rest] = Object.entries(content);
    const others = rest.filter(([m]) => !kept.some((k) => k.mediaType === m));
    if (others.length)
      this.note(
        [...at, 'content'],
        `${others.map(([m]) => m).join(', ')}; the door turns ${first![0]} into what callers ask for`,
      );
    if (!first) return {};
    const media = isTree(first[1]) ? first[1] : {};
    return {
      mediaType: first[0],
      ...(media.schema !== undefined && { schema: inward(media.schema) as JsonSchema }),
      ...(isTree(media.examples) && { examples: media.examples }),
    };
  }

  /** One of the bodies of a request, with how its parts and lists stand. */
  private body(mediaType: string, raw: unknown) {
    const media = isTree(raw) ? raw : {};
    const encoding = encodingOf(media.encoding);
    const styles = formStylesOf(media);
    return {
      mediaType,
      schema: inward(media.schema ?? {}) as JsonSchema,
      ...(encoding && { encoding }),
      ...(styles && { styles }),
    };
  }

  /** Example objects, with what only our document knows of those that it had. */
  private examples<E extends object>(given: unknown, had: Readonly<Record<string, E>> | undefined, at: Path) {
    const hidden = Object.entries(had ?? {}).filter(([, e]) => 'status' in e && e.status !== undefined);
    const all: [string, object][] = Object.entries(isTree(given) ? given : {}).flatMap(([name, entry]) => {
      const e = this.open(entry, at);
      if (!e) return [];
      const { summary: _s, value: _v, ...kept } = (had?.[name] ?? {}) as { summary?: string; value?: unknown };
      return [
        [name, { ...kept, ...(typeof e.summary === 'string' && { summary: e.summary }), value: e.value ?? null }],
      ];
    });
    const examples = Object.fromEntries([...all, ...hidden]);
    return Object.keys(examples).length ? { examples: examples as Record<string, E> } : {};
  }

  request(at: Path, given: unknown, had: OperationDocument['request']): OperationDocument['request'] {
    const body = this.open(given, at);
    if (!body) return undefined;
    const bodies = Object.entries(isTree(body.content) ? body.content : {}).map(([m, raw]) => this.body(m, raw));
    const others = bodies[0] ? othersThan(bodies[0], bodies, {}) : [];
    const { examples, ...media } = this.media(body.content, at, others);
    const { encoding, styles } = bodies[0] ?? {};
    return {
      ...media,
      ...(encoding && { encoding }),
      ...(styles && { styles }),
      ...(others.length && { others }),
      ...(body.required === true && { required: true }),
      ...(typeof body.description === 'string' && { description: body.description }),
      ...this.examples(examples, had?.examples, at),
    };
  }

  private headers(given: unknown, at: Path): Pick<NonNullable<OperationDocument['reply']>, 'headers'> {
    const all = Object.entries(isTree(given) ? given : {}).flatMap(([name, entry]) => {
      const h = this.open(entry, [...at, name]);
      if (!h) return [];
      const shown = {
        ...(typeof h.description === 'string' && { description: h.description }),
        ...(h.required === true && { required: true }),
        schema: inward(h.schema ?? {}) as JsonSchema,
      };
      return [[name, shown] as const];
    });
    return all.length ? { headers: Object.fromEntries(all) } : {};
  }

  replies(at: Path, given: unknown, had: OperationDocument): Pick<OperationDocument, 'reply' | 'otherReplies'> {
    const all = Object.entries(isTree(given) ? given : {}).filter(([status]) => !status.startsWith('x-'));
    const before = String(had.reply?.status ?? 200);
    const main = all.find(([s]) => s === before) ?? all.find(([s]) => /^2\d\d$/.test(s));
    const others: NonNullable<OperationDocument['otherReplies']> = {};
    let reply: OperationDocument['reply'];
    for (const [status, entry] of all) {
      const r = this.open(entry, [...at, status]);
      if (!r) continue;
      if (r.links !== undefined) this.note([...at, status, 'links'], `links of the reply ${status}`);
      const headers = this.headers(r.headers, [...at, status, 'headers']);
      const { examples, ...media } = this.media(r.content, [...at, status]);
      const words = typeof r.description === 'string' ? r.description : '';
      if (status === main?.[0])
        reply = {
          status: Number(status),
          ...media,
          ...(words && words !== (had.reply?.description ?? NO_WORDS) ? { description: words } : {}),
          ...(had.reply?.description !== undefined && words === had.reply.description && { description: words }),
          ...headers,
          ...this.examples(examples, had.reply?.examples, [...at, status]),
        };
      else others[status] = { ...media, ...headers, ...(words && words !== 'Another reply' && { description: words }) };
    }
    return { ...(reply && { reply }), ...(Object.keys(others).length && { otherReplies: others }) };
  }
}

/** `#/components/schemas/X` as the document calls it. */
function inward(node: unknown): unknown {
  if (Array.isArray(node)) return node.map(inward);
  if (!isTree(node)) return node;
  return Object.fromEntries(
    Object.entries(node).map(([key, v]) => [
      key,
      typeof v === 'string' && v.startsWith('#/components/schemas/')
        ? `#/types/${v.slice('#/components/schemas/'.length)}`
        : inward(v),
    ]),
  );
}
