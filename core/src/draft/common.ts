import { pointerParts, type JsonSchema, type TypeTable } from '../schema';
import { kebab, words } from './names';

export interface DraftOptions {
  readonly name?: string;
  readonly base?: string;
  readonly address?: string;
  /** Name of the backend in the document. */
  readonly backend?: string;
  readonly port?: string;
  /** Leave the contract's texts out: the studio keeps them once, and puts them in when it needs a whole document. */
  readonly withoutFiles?: boolean;
}

export function slug(text: string): string {
  return kebab(words(text)).replace(/^[^a-z_]+/, '') || 'backend';
}

/** The schema itself, and every type it reaches copied into `into`. */
export function copyTypes(schema: JsonSchema, from: TypeTable, into: TypeTable): JsonSchema {
  const visit = (node: unknown): void => {
    if (node === null || typeof node !== 'object') return;
    if (Array.isArray(node)) {
      node.forEach(visit);
      return;
    }
    const ref = (node as JsonSchema).$ref;
    if (typeof ref === 'string' && ref.startsWith('#/types/')) {
      const name = pointerParts(ref.slice(1))[1]!;
      if (!into[name] && from[name]) {
        into[name] = from[name];
        visit(from[name]);
      }
    }
    Object.values(node).forEach(visit);
  };
  visit(schema);
  return schema;
}
