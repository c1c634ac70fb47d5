import { resolveSchema, typesOf, withoutNull, type JsonSchema, type TypeTable } from '../schema';
import type { Code } from '../problem';

export interface Typed {
  readonly schema: JsonSchema;
  readonly types: TypeTable;
}

/** What is wrong, or may be lost, when a value of one type is put where another is wanted. */
export interface Misfits {
  readonly code: Extract<Code, 'HNG-310' | 'HNG-312' | 'HNG-313' | 'HNG-314'>;
  readonly words: string;
}

const plain = (t: Typed): JsonSchema => resolveSchema(withoutNull(t.schema, t.types).inner, t.types);
const kinds = (s: JsonSchema): string[] => typesOf(s).filter((t) => t !== 'null');

/** Undefined where nothing speaks against it, or too little is known. */
export function fitOf(source: Typed, target: Typed): Misfits | undefined {
  const s = plain(source);
  const t = plain(target);
  const have = kinds(s);
  const want = kinds(t);
  if (!have.length || !want.length) return undefined;
  const fromList = have.includes('array');
  const toList = want.includes('array');
  if (fromList && !toList)
    return { code: 'HNG-313', words: 'is a list, and one value is wanted: more than one will not fit' };
  if (fromList && toList) {
    const inner = fitOf({ schema: s.items ?? {}, types: source.types }, { schema: t.items ?? {}, types: target.types });
    return inner && { ...inner, words: `holds items that do not fit: each ${inner.words}` };
  }
  // One value becomes a list of one.
  if (toList) return fitOf(source, { schema: t.items ?? {}, types: target.types });
  const fits = have.some((h) => want.includes(h) || (h === 'integer' && want.includes('number')));
  if (!fits) {
    if (have.includes('number') && want.includes('integer'))
      return { code: 'HNG-312', words: 'may have digits after the point, and a whole number is wanted' };
    return { code: 'HNG-310', words: `is ${have.join(' or ')}, and ${want.join(' or ')} is wanted` };
  }
  return narrower(s, t) ?? outside(s, t);
}

/** Numbers that the target's width or bounds cannot hold. */
function narrower(s: JsonSchema, t: JsonSchema): Misfits | undefined {
  if (s.format === 'int64' && t.format === 'int32') return { code: 'HNG-312', words: 'has 64 bits, and 32 are wanted' };
  if (s.format === 'double' && t.format === 'float')
    return { code: 'HNG-312', words: 'has double precision, and single is wanted' };
  if (s.maxLength !== undefined && t.maxLength !== undefined && s.maxLength > t.maxLength)
    return { code: 'HNG-312', words: `may have ${s.maxLength} characters, and at most ${t.maxLength} fit` };
  return undefined;
}

/** Values of an enumeration that the other does not know. */
function outside(s: JsonSchema, t: JsonSchema): Misfits | undefined {
  const allowed = t.enum ?? (t.const === undefined ? undefined : [t.const]);
  const given = s.enum ?? (s.const === undefined ? undefined : [s.const]);
  if (!allowed || !given) return undefined;
  const missing = given.filter((v) => v !== null && !allowed.includes(v));
  if (!missing.length) return undefined;
  const some = missing
    .slice(0, 5)
    .map((v) => JSON.stringify(v))
    .join(', ');
  return {
    code: 'HNG-314',
    words: `may be ${some}${missing.length > 5 ? ' and others' : ''}, which is not allowed there`,
  };
}
