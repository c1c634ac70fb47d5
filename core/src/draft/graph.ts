import type { Contract, ContractFiles } from '../contract';
import { FORMAT_VERSION, type FlowDocument } from '../flow/document';
import { walkFlow } from '../flow/context';
import { renameOperation } from '../flow/operations';
import { suggestJoins } from '../graph/suggest';
import { resolveSchema } from '../schema';
import { draftFor, planFor } from './any';
import { slug, type DraftOptions } from './common';
import { words } from './names';

export interface GraphSource {
  readonly contract: Contract;
  readonly source: ContractFiles;
  /** Name of the backend in the document; made of the contract's own when absent. */
  readonly backend?: string;
}

/** One graph over the operations of several contracts: drafted one by one, laid together, clashes renamed after their backend, joined where names speak for it. */
export function draftGraph(sources: readonly GraphSource[], options: DraftOptions = {}): FlowDocument {
  const { withoutFiles, address, port } = options;
  const [only] = sources;
  if (sources.length === 1 && only!.contract.format === 'graphql') return draftGraphProxy(only!, options);
  const parts = sources.map(({ contract, source, backend }) =>
    draftFor(contract, source, planFor(contract), {
      backend,
      withoutFiles,
      ...(sources.length === 1 && { address, port }),
    }),
  );
  const whole: FlowDocument = {
    hinge: FORMAT_VERSION,
    api: { name: options.name ?? (parts.length === 1 ? parts[0]!.api.name : 'Graph'), version: '1.0.0' },
    doors: [{ name: 'graph', path: options.base ?? '/graph', answers: 'graphql' }],
    guards: [{ kind: 'schema' }],
    backends: {},
    types: {},
    operations: {},
    cases: [],
  };
  const names = parts.map((part) => add(whole, part));
  const linked = sources.flatMap(({ contract }, n) => linkJoins(whole, contract, names[n]!));
  const joins = [
    ...linked,
    ...suggestJoins(whole).filter((j) => !linked.some((l) => l.type === j.type && l.field === j.field)),
  ];
  return { ...whole, ...(joins.length && { graph: { joins } }) };
}

/** A GraphQL backend behind a door of ours: its schema, and each query checked before it is passed on. */
export function draftGraphProxy({ contract, source, backend }: GraphSource, options: DraftOptions = {}): FlowDocument {
  const name = backend ?? options.backend ?? slug(contract.name);
  const first = contract.operations.find(
    (o) => o.graphql!.kind === 'query' && !resolveSchema(o.request.body, {}).required,
  );
  return {
    hinge: FORMAT_VERSION,
    api: { name: options.name ?? contract.name, version: '1.0.0' },
    doors: [{ name: 'graph', path: options.base ?? '/graph', answers: 'graphql' }],
    backends: {
      [name]: {
        contract: {
          kind: 'graphql',
          entry: source.entry,
          ...(!options.withoutFiles && { files: { ...source.files } }),
        },
        ...(options.address && { address: options.address }),
      },
    },
    operations: {},
    graph: { backend: name, ...(first && { sample: first.graphql!.query }) },
  };
}

type Whole = { -readonly [K in keyof FlowDocument]: FlowDocument[K] };

/** Returns the name that its backend has in the whole. */
function add(whole: Whole, given: FlowDocument): string {
  const [backend] = Object.keys(given.backends ?? {});
  const name = free(backend ?? 'backend', (n) => whole.backends![n] !== undefined);
  const prefix = words(name)
    .map((w) => w.charAt(0).toUpperCase() + w.slice(1))
    .join('');
  let part = backend === undefined || name === backend ? given : renameBackend(given, backend, name);
  for (const [type, schema] of Object.entries(part.types ?? {}))
    if (whole.types![type] && JSON.stringify(whole.types![type]) !== JSON.stringify(schema))
      part = renameType(
        part,
        type,
        free(`${prefix}${type}`, (n) => whole.types![n] !== undefined || part.types![n] !== undefined),
      );
  for (const id of Object.keys(part.operations))
    if (whole.operations[id])
      part = renameOperation(
        part,
        id,
        free(
          `${name}_${id}`.replace(/[^A-Za-z0-9_]/g, '_'),
          (n) => whole.operations[n] !== undefined || part.operations[n] !== undefined,
        ),
      );
  const paths = new Set(Object.values(whole.operations).map((o) => `${o.method} ${o.path}`));
  const clash = Object.values(part.operations).some((o) => paths.has(`${o.method} ${o.path}`));
  whole.backends = { ...whole.backends, ...part.backends };
  whole.types = { ...whole.types, ...part.types };
  whole.operations = {
    ...whole.operations,
    ...Object.fromEntries(
      Object.entries(part.operations).map(([id, o]) => [id, clash ? { ...o, path: `/${name}${o.path}` } : o]),
    ),
  };
  whole.cases = [...(whole.cases ?? []), ...(part.cases ?? []).map((c) => ({ ...c, door: undefined }))].map(
    ({ door: _door, ...c }) => c,
  );
  return name;
}

type Join = NonNullable<NonNullable<FlowDocument['graph']>['joins']>[number];

/**
 * Link Objects as joins (OpenAPI 3.1 §4.8.20): an operation whose parameters come from the body of another one's reply. Those that name an operation of nobody, leave a
 * needed parameter open or take values from elsewhere say nothing here.
 */
function linkJoins(whole: FlowDocument, contract: Contract, backend: string): Join[] {
  const callers = new Map<string, string>();
  for (const [id, o] of Object.entries(whole.operations))
    walkFlow(o.flow, (step) => {
      if (step.kind === 'call' && step.backend === backend && step.operation) callers.set(step.operation, id);
    });
  return contract.operations.flatMap((op) =>
    (op.http?.links ?? []).flatMap((link): Join[] => {
      const reply = whole.operations[callers.get(op.id) ?? '']?.reply?.schema?.$ref;
      const wanted = link.operationId?.toLowerCase();
      const target =
        callers.get(link.operationId ?? '') ?? Object.keys(whole.operations).find((id) => id.toLowerCase() === wanted);
      const o = target === undefined ? undefined : whole.operations[target];
      if (!reply?.startsWith('#/types/') || target === undefined || o?.method !== 'GET' || !o.reply?.schema) return [];
      const given: Record<string, string> = {};
      for (const [name, value] of Object.entries(link.parameters)) {
        const pointer = typeof value === 'string' ? /^\$response\.body#(\/.+)$/.exec(value)?.[1] : undefined;
        const parameter = name.replace(/^(path|query|header|cookie)\./, '');
        if (pointer === undefined || !o.parameters?.some((p) => p.name === parameter)) return [];
        given[parameter] = pointer.lastIndexOf('/') === 0 && !pointer.includes('~') ? pointer.slice(1) : pointer;
      }
      if (o.parameters?.some((p) => (p.required || p.in === 'path') && given[p.name] === undefined)) return [];
      const field = words(link.name)
        .map((w, i) => (i === 0 ? w : w.charAt(0).toUpperCase() + w.slice(1)))
        .join('');
      if (!/^[A-Za-z][A-Za-z0-9_]*$/.test(field)) return [];
      const type = reply.slice('#/types/'.length);
      // A property of this name stays what it is; the link has a name beside it.
      const taken = resolveSchema({ $ref: reply }, whole.types ?? {}).properties?.[field] !== undefined;
      return [{ type, field: taken ? `${field}Linked` : field, operation: target, with: given }];
    }),
  );
}

function free(wanted: string, taken: (name: string) => boolean): string {
  for (let n = 1; ; n++) {
    const name = n === 1 ? wanted : `${wanted}${n}`;
    if (!taken(name)) return name;
  }
}

/** Another name for a type, wherever a schema refers to it. */
function renameType(document: FlowDocument, from: string, to: string): FlowDocument {
  const types = Object.fromEntries(Object.entries(document.types!).map(([n, s]) => [n === from ? to : n, s]));
  return replaced({ ...document, types }, (v) => (v === `#/types/${from}` ? `#/types/${to}` : v));
}

function renameBackend(document: FlowDocument, from: string, to: string): FlowDocument {
  const backends = Object.fromEntries(Object.entries(document.backends!).map(([n, b]) => [n === from ? to : n, b]));
  return replaced({ ...document, backends }, (v, key) => (key === 'backend' && v === from ? to : v));
}

/** The same document with texts replaced; the texts of contracts are left alone. */
function replaced(document: FlowDocument, change: (text: string, key: string) => string): FlowDocument {
  const walk = (node: unknown, key: string): unknown => {
    if (typeof node === 'string') return change(node, key);
    if (Array.isArray(node)) return node.map((x) => walk(x, key));
    if (node === null || typeof node !== 'object' || Object.getPrototypeOf(node) !== Object.prototype) return node;
    return Object.fromEntries(Object.entries(node).map(([k, v]) => [k, k === 'files' ? (v as unknown) : walk(v, k)]));
  };
  return walk(document, '') as FlowDocument;
}
