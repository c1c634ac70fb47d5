import type { TypeRow } from '../schema';

export interface Coverage {
  readonly required: number;
  readonly filled: number;
  /** Required leaves without a source, by pointer. */
  readonly missing: readonly string[];
}

/** How many required leaves of a target have a source; a filled parent fills what is in it, an optional parent that is empty asks for nothing. */
export function coverageOf(target: readonly TypeRow[], filled: readonly string[]): Coverage {
  const covers = (pointer: string) => filled.some((f) => f === pointer || pointer.startsWith(`${f}/`));
  const begun = (pointer: string) => filled.some((f) => f.startsWith(`${pointer}/`));
  const idle: string[] = [];
  const missing: string[] = [];
  let required = 0;
  for (const r of target) {
    if (idle.some((i) => r.pointer.startsWith(`${i}/`))) continue;
    if (!r.leaf) {
      if (!r.required && !covers(r.pointer) && !begun(r.pointer)) idle.push(r.pointer);
      else if (r.many && !covers(r.pointer) && !begun(r.pointer)) idle.push(r.pointer);
      continue;
    }
    if (!r.required || r.many) continue;
    required++;
    if (!covers(r.pointer)) missing.push(r.pointer);
  }
  return { required, filled: required - missing.length, missing };
}
