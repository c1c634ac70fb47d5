import type { Binding, ElementProperty, Particle } from '../../contract/xsd';
import { keyOf } from '../../xml';
import { show } from './simple';
import type { XmlOut } from './out';
import { readElement } from './read';
import { writeAny } from './wildcards';

/** Writes one element of a property. */
type Occurrence = (p: ElementProperty, value: unknown, w: XmlOut) => void;

/** Lays the properties of one object along a content model with choices or repeated groups. */
export function writeModel(binding: Binding, value: Record<string, unknown>, w: XmlOut, occurrence: Occurrence): void {
  new ContentWalk(w, binding, value, occurrence).run(binding.particle!);
}

/** Repeated groups take one item of each array per round. */
class ContentWalk {
  private readonly used = new Map<ElementProperty, number>();
  private readonly told = new Set<ElementProperty>();
  private usedAny = 0;

  constructor(
    private readonly w: XmlOut,
    private readonly binding: Binding,
    private readonly value: Record<string, unknown>,
    private readonly occurrence: Occurrence,
  ) {}

  run(particle: Particle): void {
    this.walk(particle, false);
    for (const p of this.binding.properties) {
      if (p.kind === 'element' && this.left(p) > 0 && !this.told.has(p))
        this.w.tell(
          'choice',
          p.many
            ? `${p.json} holds more items than may stand here`
            : `${p.json} may not stand here together with what stands beside it`,
          p.json,
        );
    }
    if (this.anyLeft() > 0) this.w.tell('choice', '$any holds more elements than may stand here', '$any');
  }

  private propertyOf(p: Particle): ElementProperty | undefined {
    return p.term.kind === 'element' ? this.binding.byElement.get(keyOf(p.term.uri, p.term.name)) : undefined;
  }

  private get any(): readonly unknown[] {
    return Array.isArray(this.value.$any) ? this.value.$any : [];
  }

  private anyLeft(): number {
    return this.any.length - this.usedAny;
  }

  private left(p: ElementProperty): number {
    const value = this.value[p.json];
    const used = this.used.get(p) ?? 0;
    if (value === undefined) return 0;
    if (!p.many) return 1 - used;
    return Array.isArray(value) ? value.length - used : used === 0 ? 1 : 0;
  }

  private has(p: Particle): boolean {
    if (p.term.kind === 'any') return this.anyLeft() > 0;
    const property = this.propertyOf(p);
    if (property) return this.left(property) > 0;
    return p.term.kind !== 'element' && p.term.particles.some((inner) => this.has(inner));
  }

  private emptiable(p: Particle): boolean {
    if (p.min === 0) return true;
    if (p.term.kind === 'element' || p.term.kind === 'any') return false;
    return p.term.kind === 'choice'
      ? p.term.particles.some((q) => this.emptiable(q)) || p.term.particles.length === 0
      : p.term.particles.every((q) => this.emptiable(q));
  }

  private walk(p: Particle, repeating: boolean): void {
    if (p.term.kind === 'any') {
      const n = Math.min(p.max, this.anyLeft());
      writeAny(this.any, this.usedAny, this.usedAny + n, this.w, this.binding.wildcards, readElement);
      this.usedAny += n;
      return;
    }
    const property = this.propertyOf(p);
    if (property) {
      this.element(p, property, repeating);
      return;
    }
    if (p.term.kind === 'element') return;
    let rounds = 0;
    while (rounds < p.max && this.has(p)) {
      this.round(p.term.kind, p.term.particles, repeating || p.max > 1);
      rounds++;
    }
    // Nothing given: a group that must stand and cannot be empty tells what it lacks.
    if (rounds < p.min && !this.emptiable(p)) this.round(p.term.kind, p.term.particles, repeating || p.max > 1);
  }

  private round(kind: 'sequence' | 'choice' | 'all', particles: readonly Particle[], repeating: boolean): void {
    if (kind !== 'choice') {
      for (const inner of particles) this.walk(inner, repeating);
      return;
    }
    const branch = this.branch(particles);
    if (branch) this.walk(branch, repeating);
    else if (!particles.some((inner) => this.emptiable(inner))) {
      const names = particles.flatMap((inner) => this.firstNames(inner));
      this.w.tell('choice', `one of ${names.join(', ')} is needed`);
    }
  }

  /** The branch that takes all it needs from what is there; where none does, the first that takes anything. */
  private branch(particles: readonly Particle[]): Particle | undefined {
    const some = particles.filter((inner) => this.has(inner));
    return some.length < 2 ? some[0] : (some.find((inner) => this.whole(inner)) ?? some[0]);
  }

  private whole(p: Particle): boolean {
    if (p.min === 0 || p.term.kind === 'any') return true;
    const property = this.propertyOf(p);
    if (property) return this.left(property) > 0;
    if (p.term.kind === 'element') return true;
    return p.term.kind === 'choice'
      ? p.term.particles.some((q) => this.whole(q))
      : p.term.particles.every((q) => this.whole(q));
  }

  private firstNames(p: Particle): string[] {
    const property = this.propertyOf(p);
    if (property) return [property.json];
    return p.term.kind === 'element' || p.term.kind === 'any'
      ? []
      : p.term.particles.flatMap((inner) => this.firstNames(inner));
  }

  private element(p: Particle, property: ElementProperty, repeating: boolean): void {
    const { json } = property;
    const value = this.value[json];
    const used = this.used.get(property) ?? 0;
    if (!property.many) {
      if (value === undefined || used > 0) {
        if (p.min > 0 && value === undefined) this.w.tell('missing', `${json} is missing`, json);
        return;
      }
      this.used.set(property, 1);
      this.w.enter(json);
      this.occurrence(property, value, this.w);
      this.w.leave();
      return;
    }
    if (value !== undefined && !Array.isArray(value)) {
      this.used.set(property, 1);
      this.told.add(property);
      this.w.tell('type', `${show(value)} is not a list`, json);
      return;
    }
    const items = (value as unknown[] | undefined) ?? [];
    const left = items.length - used;
    const n = repeating ? Math.min(p.max, left, Math.max(p.max > 1 ? left : 1, p.min, 1)) : Math.min(p.max, left);
    if (n < p.min)
      this.w.tell(
        n === 0 ? 'missing' : 'choice',
        n === 0 ? `${json} is missing` : `at least ${p.min} of ${json} are needed`,
        json,
      );
    this.w.enter(json);
    for (let i = 0; i < n; i++) {
      this.w.enter(used + i);
      this.occurrence(property, items[used + i], this.w);
      this.w.leave();
    }
    this.w.leave();
    this.used.set(property, used + n);
  }
}
