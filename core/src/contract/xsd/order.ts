import { bindingOf, type Binding, type ElementProperty } from './binding';
import { keyOf } from '../../xml';
import type { ComplexType, Particle } from './components';

/** Order of the content of a complex type, over the properties of its binding; `wildcard` stands for any wildcard. */
export type Order =
  /** One sequence in which every element has one place: the index of each. */
  | { readonly kind: 'flat'; readonly index: ReadonlyMap<ElementProperty | 'wildcard', number> }
  /** Position automaton (V. Glushkov's construction); deterministic by Unique Particle Attribution (Part 1 §3.8.6). */
  | { readonly kind: 'automaton'; readonly states: readonly State[] }
  /** An `all` group, or a model beyond the bound: counts are checked, order is not. */
  | { readonly kind: 'free' };

export interface State {
  readonly next: ReadonlyMap<ElementProperty | 'wildcard', number>;
  readonly final: boolean;
}

const MAX_POSITIONS = 400;
const orders = new WeakMap<ComplexType, Order>();

export function orderOf(type: ComplexType): Order {
  let order = orders.get(type);
  if (!order) {
    order = makeOrder(bindingOf(type));
    orders.set(type, order);
  }
  return order;
}

function makeOrder(b: Binding): Order {
  if (!b.particle) return { kind: 'flat', index: new Map() };
  const index = new Map<ElementProperty | 'wildcard', number>();
  if (flatten(b.particle, b, index)) return { kind: 'flat', index };
  const builder = new Builder(b);
  const part = builder.build(b.particle);
  if (!part || builder.overflow) return { kind: 'free' };
  return { kind: 'automaton', states: builder.states(part) };
}

function propertyOf(p: Particle, b: Binding): ElementProperty | 'wildcard' {
  return p.term.kind === 'element' ? b.byElement.get(keyOf(p.term.uri, p.term.name))! : 'wildcard';
}

/** True when the model is one run of elements, each named once; nested sequences that do not repeat count as written out. */
function flatten(p: Particle, b: Binding, index: Map<ElementProperty | 'wildcard', number>): boolean {
  if (p.term.kind === 'element' || p.term.kind === 'any') {
    const key = propertyOf(p, b);
    if (index.has(key)) return false;
    index.set(key, index.size);
    return true;
  }
  // An optional group whose inside is needed would be required whole or not at all: the automaton knows.
  if (p.term.kind !== 'sequence' || p.max > 1) return false;
  if (p.min === 0 && p.term.particles.some((inner) => inner.min > 0) && p.term.particles.length > 1) return false;
  return p.term.particles.every((inner) => flatten(inner, b, index));
}

interface Part {
  readonly nullable: boolean;
  readonly first: readonly number[];
  readonly last: readonly number[];
}

class Builder {
  private readonly keys: (ElementProperty | 'wildcard')[] = [];
  private readonly follow: Set<number>[] = [];
  overflow = false;

  constructor(private readonly binding: Binding) {}

  build(p: Particle): Part | undefined {
    const one = this.term(p);
    if (!one) return undefined;
    if (p.max > 1) this.link(one.last, one.first);
    return { ...one, nullable: one.nullable || p.min === 0 };
  }

  private link(from: readonly number[], to: readonly number[]): void {
    for (const f of from) for (const t of to) this.follow[f]!.add(t);
  }

  private term(p: Particle): Part | undefined {
    const term = p.term;
    if (term.kind === 'element' || term.kind === 'any') {
      if (this.keys.length >= MAX_POSITIONS) {
        this.overflow = true;
        return undefined;
      }
      this.keys.push(propertyOf(p, this.binding));
      this.follow.push(new Set());
      const at = [this.keys.length - 1];
      return { nullable: false, first: at, last: at };
    }
    if (term.kind === 'all') return undefined;
    const parts: Part[] = [];
    for (const inner of term.particles) {
      const part = this.build(inner);
      if (!part) return undefined;
      parts.push(part);
    }
    if (term.kind === 'choice') {
      return {
        nullable: parts.length === 0 || parts.some((q) => q.nullable),
        first: parts.flatMap((q) => q.first),
        last: parts.flatMap((q) => q.last),
      };
    }
    let first: readonly number[] = [];
    let last: readonly number[] = [];
    let nullable = true;
    for (const q of parts) {
      this.link(last, q.first);
      if (nullable) first = [...first, ...q.first];
      last = q.nullable ? [...last, ...q.last] : q.last;
      nullable &&= q.nullable;
    }
    return { nullable, first, last };
  }

  /** State 0 is the beginning; state n+1 stands behind position n. */
  states(whole: Part): State[] {
    const last = new Set(whole.last);
    const nextOf = (positions: Iterable<number>) => {
      const next = new Map<ElementProperty | 'wildcard', number>();
      for (const at of positions) if (!next.has(this.keys[at]!)) next.set(this.keys[at]!, at + 1);
      return next;
    };
    return [
      { next: nextOf(whole.first), final: whole.nullable },
      ...this.follow.map((f, i) => ({ next: nextOf(f), final: last.has(i) })),
    ];
  }
}
