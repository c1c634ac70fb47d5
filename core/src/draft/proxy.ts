import { FORMAT_VERSION, type FlowDocument } from '../flow/document';
import { kebab, words } from './names';

/** A plain proxy: any method, any path under the base path, passed on as it came. */
export function draftProxy(address: string, options: { name?: string; base?: string } = {}): FlowDocument {
  const name = options.name ?? new URL(address).hostname;
  return {
    hinge: FORMAT_VERSION,
    api: { name, version: '1.0.0' },
    doors: [{ name: 'public', path: options.base ?? `/${kebab(words(name)) || 'proxy'}` }],
    backends: { backend: { address } },
    operations: {
      any: { method: 'ANY', path: '/*', summary: 'Passed on as it came', flow: [{ kind: 'call', backend: 'backend' }] },
    },
    cases: [{ name: 'root', operation: 'any', request: { path: { '*': '/' } } }],
  };
}
