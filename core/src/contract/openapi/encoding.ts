import type { FormStyles, ParameterStyle } from './model';
import { isTree, type Tree } from './tree';

/** Where two.ts leaves what `collectionFormat` of the fields of a form says: encoding objects (2.0 knows none). */
export const FORM_STYLES = 'x-form-styles';

const STYLES: readonly string[] = ['form', 'spaceDelimited', 'pipeDelimited', 'deepObject'];

/** "Encoding Object" of 3.1: style and explode of the fields of a form, where either is told. */
export function formStylesOf(media: Tree): FormStyles | undefined {
  const own = isTree(media.schema) ? media.schema[FORM_STYLES] : undefined;
  const encoding = isTree(media.encoding) ? media.encoding : isTree(own) ? own : {};
  const found = Object.entries(encoding).flatMap(([name, e]) => {
    if (!isTree(e) || (e.style === undefined && e.explode === undefined)) return [];
    const style = (typeof e.style === 'string' && STYLES.includes(e.style) ? e.style : 'form') as ParameterStyle;
    return [[name, { style, explode: typeof e.explode === 'boolean' ? e.explode : style === 'form' }] as const];
  });
  return found.length ? Object.fromEntries(found) : undefined;
}

/** "Encoding Object" of 3.1: content types of parts, where each is one and no range. */
export function encodingOf(raw: unknown): Record<string, string> | undefined {
  const found = Object.entries(isTree(raw) ? raw : {}).flatMap(([name, e]) => {
    const type = isTree(e) ? e.contentType : undefined;
    return typeof type === 'string' && /^[\w.+-]+\/[\w.+-]+(\s*;[^,*]*)?$/.test(type) ? [[name, type] as const] : [];
  });
  return found.length ? Object.fromEntries(found) : undefined;
}
