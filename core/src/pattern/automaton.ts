import { oneOf } from './sets';
import { PatternError, type Pattern, type Verdict } from './tree';

/** Places of an automaton; a repetition counts as often as it may come. */
const PLACES = 50_000;
/** Places looked at for one text, about a tenth of a second. */
const WORK = 5_000_000;
/** Places and steps that are kept from one text to the next: less than a megabyte. */
const KEPT = 100_000;

const EMPTY = -1;
const END = -2;
/** Ways on that are open at the start of the text only, and at its end only. */
const AT_START = -3;
const AT_END = -4;

interface Built {
  /** For each place the number of its set, or EMPTY where it leads on to `next` and `other` without a character, or END. */
  readonly set: Int32Array;
  readonly next: Int32Array;
  readonly other: Int32Array;
  readonly start: number;
  readonly sets: readonly (RegExp | number)[];
}

function build(pattern: Pattern, flags: 'u' | ''): Built {
  const set: number[] = [END];
  const next: number[] = [-1];
  const other: number[] = [-1];
  const sets: (RegExp | number)[] = [];
  const known = new Map<string, number>();
  const place = (s: number, to: number, or = -1): number => {
    if (set.length >= PLACES) throw new PatternError(`it has more than ${PLACES} places to be in`, 0);
    next.push(to);
    other.push(or);
    return set.push(s) - 1;
  };
  const setNumber = (expression: string, code?: number): number => {
    let n = known.get(expression);
    if (n === undefined) {
      n = sets.push(code ?? new RegExp(`^${expression}$`, flags)) - 1;
      known.set(expression, n);
    }
    return n;
  };
  /** The place to be in before `p`, when `after` comes behind it. */
  const before = (p: Pattern, after: number): number => {
    if (p.kind === 'set') return place(setNumber(oneOf(p.set), p.code), after);
    if (p.kind === 'edge') return place(p.at === 'start' ? AT_START : AT_END, after);
    if (p.kind === 'beyond') throw new PatternError('it looks around, or back at what it has matched', 0);
    if (p.kind === 'sequence') return p.parts.reduceRight((to, part) => before(part, to), after);
    if (p.kind === 'choice')
      return p.parts.map((part) => before(part, after)).reduceRight((rest, one) => place(EMPTY, one, rest));
    let to = after;
    if (p.max === Infinity) {
      const loop = place(EMPTY, -1, after);
      next[loop] = before(p.of, loop);
      if (p.min === 0) return loop;
      // Once round is once at least.
      to = next[loop]!;
    }
    const copies = p.max === Infinity ? p.min - 1 : p.max;
    for (let i = 0; i < copies; i++) {
      const one = before(p.of, to);
      // Nothing, as often as it is wanted, is nothing.
      if (one === to) break;
      to = p.max !== Infinity && i < p.max - p.min ? place(EMPTY, one, after) : one;
    }
    return to;
  };
  const start = before(pattern, 0);
  return { set: Int32Array.from(set), next: Int32Array.from(next), other: Int32Array.from(other), start, sets };
}

/** A set of places, and where each kind of character leads from it. */
interface State {
  readonly places: Int32Array;
  readonly accepts: boolean;
  /** Where nothing follows. */
  readonly acceptsLast: boolean;
  readonly to: (State | undefined)[];
}

/**
 * Matches texts in time that grows with the text and never explodes: an automaton without turning back, whose sets of places are kept as
 * they come (K. Thompson, CACM 11(6) 1968). Throws PatternError for a pattern with too many places.
 */
export class Automaton {
  private states = new Map<string, State>();
  private start: State;
  private kept = 0;
  private work = 0;
  /** Kinds of characters: which sets they are in. */
  private readonly kinds = new Map<string, number>();
  private readonly members: boolean[][] = [];
  private readonly ascii = new Int16Array(128).fill(-1);
  private wide = new Map<number, number>();
  private readonly seen: Uint32Array;
  private mark = 0;

  private readonly built: Built;
  private readonly units: boolean;
  /** It has ways that are open at the end of the text only. */
  private readonly ends: boolean;

  /** Without the flag u a character is a code unit (ECMA-262 §22.2.2). */
  constructor(pattern: Pattern, flags: 'u' | '' = 'u') {
    this.units = flags === '';
    this.built = build(pattern, flags);
    this.ends = this.built.set.includes(AT_END);
    this.seen = new Uint32Array(this.built.set.length);
    this.start = this.state([this.built.start], true);
  }

  /** Whether the whole text matches; with `search`, whether a part of it does that begins at the start. */
  test(text: string, search = false): Verdict {
    this.work = 0;
    if (this.kept > KEPT) this.forget();
    let state = this.start;
    for (let i = 0; i < text.length; i++) {
      if (search && state.accepts) return 'match';
      if (state.places.length === 0) return 'mismatch';
      let code = text.charCodeAt(i);
      let kind: number;
      if (code < 128) {
        kind = this.ascii[code]!;
        if (kind < 0) kind = this.ascii[code] = this.kindOf(code);
      } else {
        if (code >= 0xd800 && code < 0xdc00 && !this.units) {
          code = text.codePointAt(i)!;
          if (code > 0xffff) i++;
        }
        kind = this.wide.get(code) ?? this.learn(code);
      }
      let to = state.to[kind];
      if (to === undefined) {
        to = this.step(state, kind);
        if (this.work > WORK) return 'unknown';
      }
      state = to;
    }
    return state.acceptsLast ? 'match' : 'mismatch';
  }

  private forget(): void {
    this.states = new Map();
    this.kept = 0;
    this.start = this.state([this.built.start], true);
  }

  private learn(code: number): number {
    if (this.wide.size > 5_000) this.wide = new Map();
    const kind = this.kindOf(code);
    this.wide.set(code, kind);
    return kind;
  }

  private kindOf(code: number): number {
    const c = String.fromCodePoint(code);
    const members = this.built.sets.map((s) => (typeof s === 'number' ? s === code : s.test(c)));
    this.work += members.length;
    const key = members.map(Number).join('');
    let kind = this.kinds.get(key);
    if (kind === undefined) {
      kind = this.members.push(members) - 1;
      this.kinds.set(key, kind);
    }
    return kind;
  }

  private step(state: State, kind: number): State {
    const members = this.members[kind]!;
    const { set, next } = this.built;
    const reached: number[] = [];
    for (const p of state.places) if (members[set[p]!]) reached.push(next[p]!);
    this.work += state.places.length;
    const to = this.state(reached);
    if (this.kept <= KEPT) state.to[kind] = to;
    this.kept += to.places.length + this.members.length + 8;
    return to;
  }

  /** The state of these places and all that they lead to without a character. */
  private state(from: number[], first = false): State {
    const places: number[] = [];
    const accepts = this.follow(from, first, false, places);
    const acceptsLast = accepts || (this.ends && this.follow(from, first, true, []));
    places.sort((a, b) => a - b);
    const state = { places: Int32Array.from(places), accepts, acceptsLast, to: [] };
    if (this.kept > KEPT || places.length > 500) return state;
    const key = `${Number(accepts)}${Number(acceptsLast)} ${places.join()}`;
    const known = this.states.get(key);
    if (!known) this.states.set(key, state);
    return known ?? state;
  }

  /** Whether the end can be reached without a character; `places` takes those that wait for one. */
  private follow(from: readonly number[], first: boolean, last: boolean, places: number[]): boolean {
    const { set, next, other } = this.built;
    if (this.mark === 0xffffffff) this.seen.fill((this.mark = 0));
    const mark = ++this.mark;
    const open = [...from];
    let accepts = false;
    while (open.length) {
      const p = open.pop()!;
      if (p < 0 || this.seen[p] === mark) continue;
      this.seen[p] = mark;
      this.work++;
      const kind = set[p]!;
      if (kind === END) accepts = true;
      else if (kind === EMPTY) open.push(other[p]!, next[p]!);
      else if (kind >= 0) places.push(p);
      else if (kind === AT_START ? first : last) open.push(next[p]!);
    }
    return accepts;
  }
}
