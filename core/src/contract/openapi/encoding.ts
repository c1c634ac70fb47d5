import { isTree } from './source';

/** "Encoding Object" of 3.1: content types of parts, where each is one and no range. */
export function encodingOf(raw: unknown): Record<string, string> | undefined {
  const found = Object.entries(isTree(raw) ? raw : {}).flatMap(([name, e]) => {
    const type = isTree(e) ? e.contentType : undefined;
    return typeof type === 'string' && /^[\w.+-]+\/[\w.+-]+(\s*;[^,*]*)?$/.test(type) ? [[name, type] as const] : [];
  });
  return found.length ? Object.fromEntries(found) : undefined;
}
