import type { TypeRow } from '../schema';
import { words } from '../words';

/** One field that may be joined, and why. `score` is from 0 to 1; what a person would take without looking is above 0.8. */
export interface Suggestion {
  readonly from: string;
  readonly to: string;
  readonly score: number;
  readonly why: 'same name' | 'same words' | 'like names' | 'place';
}

export interface SuggestOptions {
  /** Suggestions below this are not told. */
  readonly least?: number;
  /** Targets that have a source already. */
  readonly filled?: ReadonlySet<string>;
}

/** Words that mean the same in many contracts (common practice, English); the first stands for all of them. */
const SYNONYMS: readonly (readonly string[])[] = [
  ['id', 'identifier', 'ident', 'key', 'ref', 'reference', 'uuid'],
  ['number', 'no', 'nr', 'num'],
  ['quantity', 'qty', 'amount', 'count'],
  ['from', 'start', 'begin', 'since', 'arrival'],
  ['to', 'end', 'until', 'finish', 'departure'],
  ['description', 'desc', 'text', 'note', 'remark', 'comment'],
  ['type', 'kind', 'category', 'class'],
  ['date', 'day'],
  ['time', 'timestamp', 'instant', 'at'],
  ['name', 'title', 'label'],
  ['address', 'addr'],
  ['telephone', 'phone', 'tel'],
  ['email', 'mail'],
  ['country', 'nation'],
  ['postcode', 'zip', 'postal'],
  ['vessel', 'ship', 'boat', 'craft'],
  ['length', 'len', 'loa'],
  ['width', 'beam', 'breadth'],
  ['depth', 'draught', 'draft'],
  ['weight', 'mass', 'tons', 'tonnage'],
];
const CANON = new Map(SYNONYMS.flatMap((group) => group.map((w) => [w, group[0]!] as const)));

/** Words of a name, each as the one that stands for its kin; endings of the plural dropped. */
function tokens(name: string): string[] {
  return words(name).map((w) => {
    const single = w.length > 3 && w.endsWith('s') && !w.endsWith('ss') ? w.slice(0, -1) : w;
    return CANON.get(single) ?? CANON.get(w) ?? single;
  });
}

/** Restricted edit distance of two texts (insertions, deletions, replacements, neighbours swapped). */
export function editDistance(a: string, b: string): number {
  let before: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const cost = a[i - 1] === b[j - 1] ? 0 : 1;
      let d = Math.min(last[j]! + 1, row[j - 1]! + 1, last[j - 1]! + cost);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) d = Math.min(d, before[j - 2]! + 1);
      row.push(d);
    }
    before = last;
    last = row;
  }
  return last[b.length]!;
}

interface Named {
  readonly row: TypeRow;
  readonly plain: string;
  readonly tokens: readonly string[];
  readonly path: readonly string[];
  readonly place: number;
}

function namedOf(rows: readonly TypeRow[]): Named[] {
  const leaves = rows.filter((r) => r.leaf);
  return leaves.map((row, i) => {
    const parts = row.pointer.split('/').filter((p) => p && p !== '*');
    return {
      row,
      plain: row.name.toLowerCase().replace(/[^a-z0-9]/g, ''),
      tokens: tokens(row.name),
      path: parts.slice(0, -1).flatMap(tokens),
      place: leaves.length < 2 ? 0 : i / (leaves.length - 1),
    };
  });
}

/** Share of words that two lists have in common (Dice). */
function overlap(a: readonly string[], b: readonly string[]): number {
  if (!a.length || !b.length) return a.length === b.length ? 1 : 0;
  const rest = [...b];
  let both = 0;
  for (const w of a) {
    const at = rest.indexOf(w);
    if (at < 0) continue;
    rest.splice(at, 1);
    both++;
  }
  return (2 * both) / (a.length + b.length);
}

const NUMBERS = new Set(['integer', 'number', 'double', 'float', 'decimal']);

/** 1 the same type, less where it must be turned, 0 where it cannot be. */
function typeFit(a: TypeRow, b: TypeRow): number {
  if (a.many !== b.many) return 0.5;
  if (a.words === b.words) return 1;
  if (NUMBERS.has(a.words) && NUMBERS.has(b.words)) return 0.95;
  if (a.words === 'anything' || b.words === 'anything') return 0.9;
  if (b.words === 'string') return 0.8;
  const time = (w: string) => /date|time/i.test(w);
  if (time(a.words) && time(b.words)) return 0.8;
  if (a.words === 'string') return 0.6;
  return 0.2;
}

function nameFit(a: Named, b: Named): { score: number; why: Suggestion['why'] } {
  if (a.plain === b.plain) return { score: 1, why: 'same name' };
  const shared = overlap(a.tokens, b.tokens);
  if (shared === 1) return { score: 0.92, why: 'same words' };
  // vessel.name and vesselName say the same: the parent's words count too.
  const withParent = Math.max(
    overlap([...a.path.slice(-1), ...a.tokens], b.tokens),
    overlap(a.tokens, [...b.path.slice(-1), ...b.tokens]),
  );
  if (withParent === 1) return { score: 0.9, why: 'same words' };
  const longest = Math.max(a.plain.length, b.plain.length);
  const like = longest > 64 ? 0 : 1 - editDistance(a.plain, b.plain) / longest;
  const score = Math.max(shared * 0.8, withParent * 0.8, like >= 0.6 ? like * 0.85 : 0);
  return { score, why: shared > 0 || withParent > 0 ? 'same words' : 'like names' };
}

/**
 * Joins between the leaves of two trees, best first, each target once and no source twice unless nothing better is left. Score: the name
 * counts most, then what stands above it, the type, and the place in the tree.
 */
export function suggestFields(
  source: readonly TypeRow[],
  target: readonly TypeRow[],
  options: SuggestOptions = {},
): Suggestion[] {
  const least = options.least ?? 0.45;
  const from = namedOf(source);
  const to = namedOf(target).filter((t) => !options.filled?.has(t.row.pointer));
  const found: Suggestion[] = [];
  for (const t of to) {
    for (const f of from) {
      const name = nameFit(f, t);
      const path = overlap(
        f.path.filter((p) => p !== 'body'),
        t.path.filter((p) => p !== 'body'),
      );
      const type = typeFit(f.row, t.row);
      if (type <= 0.2 && name.score < 1) continue;
      const place = 1 - Math.abs(f.place - t.place);
      const onlyPlace = name.score < 0.3;
      const score = onlyPlace ? 0.2 * place * type : name.score * 0.72 + path * 0.1 + type * 0.13 + place * 0.05;
      if (score >= least)
        found.push({
          from: f.row.pointer,
          to: t.row.pointer,
          score: Math.round(score * 1000) / 1000,
          why: onlyPlace ? 'place' : name.why,
        });
    }
  }
  found.sort((a, b) => b.score - a.score || a.to.localeCompare(b.to) || a.from.localeCompare(b.from));
  const usedFrom = new Set<string>();
  const out = new Map<string, Suggestion>();
  for (const s of found) {
    if (out.has(s.to) || usedFrom.has(s.from)) continue;
    out.set(s.to, s);
    usedFrom.add(s.from);
  }
  // A source may feed two targets where the second has nothing of its own.
  for (const s of found) if (!out.has(s.to) && s.score >= 0.75) out.set(s.to, s);
  return [...out.values()].sort((a, b) => b.score - a.score);
}
