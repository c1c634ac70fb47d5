import { attributeOf, type XmlElement } from '../../xml';
import type { SchemaLookup, Wildcard } from './components';
import type { SchemaDocument } from './resolver';

/** `xs:any` or `xs:anyAttribute` (Part 1 §3.10.2). */
export function wildcardOf(schemas: SchemaLookup, node: XmlElement, doc: SchemaDocument): Wildcard {
  const process = attributeOf(node, 'processContents')?.trim();
  return {
    kind: 'any',
    namespaces: attributeOf(node, 'namespace')?.trim() ?? '##any',
    process: process === 'lax' || process === 'skip' ? process : 'strict',
    target: doc.targetNamespace,
    schemas,
  };
}

/** Whether a name of this namespace may stand there (Part 1 §3.10.4). */
export function allows(w: Wildcard, uri: string): boolean {
  if (w.namespaces === '##any') return true;
  if (w.namespaces === '##other') return uri !== w.target && uri !== '';
  return w.namespaces
    .split(/\s+/)
    .some((n) => (n === '##local' ? uri === '' : n === '##targetNamespace' ? uri === w.target : n === uri));
}
