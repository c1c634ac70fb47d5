import type { Contract, ContractFiles } from '../contract';
import { FORMAT_VERSION, type FlowDocument } from '../flow/document';
import { renameOperation } from '../flow/operations';
import { suggestJoins } from '../graph/graph';
import { draftFor, planFor } from './any';
import type { DraftOptions } from './common';
import { words } from './names';

export interface GraphSource {
  readonly contract: Contract;
  readonly source: ContractFiles;
}

/** One graph over the operations of several contracts: drafted one by one, laid together, clashes renamed after their backend, joined where names speak for it. */
export function draftGraph(sources: readonly GraphSource[], options: DraftOptions = {}): FlowDocument {
  const parts = sources.map(({ contract, source }) =>
    draftFor(
      contract,
      source,
      planFor(contract),
      sources.length > 1 ? {} : { address: options.address, port: options.port },
    ),
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
  for (const part of parts) add(whole, part);
  const joins = suggestJoins(whole);
  return { ...whole, ...(joins.length && { graph: { joins } }) };
}

type Whole = { -readonly [K in keyof FlowDocument]: FlowDocument[K] };

function add(whole: Whole, given: FlowDocument): void {
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
