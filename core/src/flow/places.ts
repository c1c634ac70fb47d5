import type { BackendContext } from '../steps/kind';
import { decoded } from '../message/percent';
import { walkFlow } from './context';
import type { FlowDocument, OperationDocument, StepDocument } from './document';

/** Where callers find what a backend has at a path below its address: the path below a door's own, or undefined where no operation leads there. */
export type Places = (below: string) => string | undefined;

interface Way {
  readonly shape: RegExp;
  readonly names: readonly string[];
  /** Path of the caller, with the backend's parameters in braces. */
  readonly path: string;
  readonly fixed: number;
  readonly get: boolean;
}

/**
 * Operations seen from the other side: a fixed part goes before a parameter, and what can be read (GET) before what cannot. A proxy of
 * everything below it comes last.
 */
export function compilePlaces(document: FlowDocument, backend: Pick<BackendContext, 'name' | 'contract'>): Places {
  const ways: Way[] = [];
  const below: string[] = [];
  for (const o of Object.values(document.operations)) {
    if (o.internal || o.soap) continue;
    walkFlow(o.flow, (step, _at, off) => {
      if (off || step.kind !== 'call' || step.backend !== backend.name) return;
      if (step.operation === undefined) {
        if (o.path.endsWith('/*') && step.path === undefined) below.push(o.path.slice(0, -2));
        return;
      }
      const http = backend.contract?.operations.find((x) => x.id === step.operation)?.http;
      const way = http && wayOf(http.path, o, step.operation);
      if (way) ways.push(way);
    });
  }
  ways.sort((a, b) => b.fixed - a.fixed || Number(b.get) - Number(a.get));
  const [proxy] = below.filter((p) => !p.includes('{'));
  return (path) => {
    for (const way of ways) {
      const found = way.shape.exec(path);
      if (!found) continue;
      const values = Object.fromEntries(way.names.map((n, i) => [n, encodeURIComponent(decoded(found[i + 1]!))]));
      return way.path.replace(/\{([^}]*)\}/g, (_m, n: string) => values[n]!);
    }
    return proxy === undefined ? undefined : `${proxy}${path}`;
  };
}

/** Undefined where the caller's path needs something that the backend's does not hold. */
function wayOf(template: string, o: OperationDocument, operation: string): Way | undefined {
  if (o.path.includes('*')) return undefined;
  const names: string[] = [];
  const shape = template.replace(/\{([^}]*)\}|[.*+?^$()|[\]\\]/g, (m, name: string | undefined) => {
    if (name === undefined) return `\\${m}`;
    names.push(name);
    return '([^/]+)';
  });
  const given = argumentsOf(o.flow, operation);
  let known = true;
  const path = o.path.replace(/\{([^}]*)\}/g, (_m, name: string) => {
    const source = [...given].find(([, from]) => from === name)?.[0] ?? (given.size === 0 ? name : undefined);
    known &&= source !== undefined && names.includes(source);
    return `{${source ?? ''}}`;
  });
  const fixed = template.split('/').filter((part) => part && !part.includes('{')).length;
  return known
    ? { shape: new RegExp(`^${shape}/?$`), names, path, fixed, get: o.method === 'GET' || o.method === 'ANY' }
    : undefined;
}

/** Path parameters of a backend's operation that a map fills with one of the caller's, by the backend's name. */
function argumentsOf(flow: readonly StepDocument[], operation: string): Map<string, string> {
  const out = new Map<string, string>();
  walkFlow(flow, (step, _at, off) => {
    if (off || step.kind !== 'map' || typeof step.to !== 'object' || step.to.operation !== operation) return;
    for (const f of step.fields ?? []) {
      const target = /^\/path\/(.+)$/.exec(f.to)?.[1];
      const from = typeof f.from === 'string' ? /^path\.(?:`([^`]+)`|(\w+))$/.exec(f.from.trim()) : null;
      if (target !== undefined && from) out.set(target.replace(/~1/g, '/').replace(/~0/g, '~'), from[1] ?? from[2]!);
    }
  });
  return out;
}
