import type { Binding, ElementDecl, ElementProperty, Order } from '../../contract/xsd';
import type { ScannedName, XmlScanner } from '../../xml';
import type { ReadContext } from './read-parts';
import { simpleCodec, type SimpleCodec } from './simple';

/** One element that may stand in a complex type: the property it fills, with the declaration in force. */
export interface Slot {
  readonly property: ElementProperty;
  readonly json: string;
  readonly uri: string;
  readonly many: boolean;
  readonly decl: ElementDecl;
  /** Name of the substitute, where it is one. */
  readonly member: string | undefined;
  readonly wrapped: ElementProperty | undefined;
  /** Place in a flat order. */
  readonly index: number;
  /** The usual case: no substitute, no wrapper. */
  readonly plain: boolean;
  /** Plain, with neither a value of its own where it is empty nor an abstract type. */
  readonly direct: boolean;
  readonly nillable: boolean;
  /** One bit of an element of its own, none where there are more than fit. */
  readonly bit: number;
  /** Set for an element of simple type that is no substitute: without attributes nothing else needs a look. */
  readonly leaf: SimpleCodec | undefined;
  /** Reads it, once one was met. */
  reader: ((s: XmlScanner, c: ReadContext, label: string | undefined) => unknown) | undefined;
  /** The leaf that stood after this one the last time. */
  after: Guess | undefined;
}

/** A leaf as it was met: tried first where it stood before, by its very tags. Messages of one kind repeat themselves. */
export interface Guess {
  readonly slot: Slot & { readonly leaf: SimpleCodec };
  readonly name: ScannedName;
}

export function guessOf(slot: Slot, name: ScannedName): Guess | undefined {
  return slot.leaf === undefined ? undefined : { slot: slot as Guess['slot'], name };
}

/** Elements whose having stood fits into the bits of one number. */
export const BITS = 30;

export type Slots = ReadonlyMap<string, readonly Slot[]>;

export function slotsOf(b: Binding, order: Order): Slots {
  const out = new Map<string, Slot[]>();
  for (const [n, property] of [...b.byElement.values()].entries()) {
    const add = (decl: ElementDecl, member: string | undefined) => {
      const wrapped = property.wrapped;
      const slot: Slot = {
        property,
        json: property.json,
        uri: decl.uri,
        many: property.many,
        decl,
        member,
        wrapped,
        index: order.kind === 'flat' ? (order.index.get(property) ?? -1) : -1,
        plain: member === undefined && !wrapped,
        direct:
          member === undefined &&
          !wrapped &&
          decl.fallback === undefined &&
          !(decl.type.kind === 'complex' && decl.type.abstract),
        nillable: decl.nillable,
        bit: n < BITS ? 1 << n : 0,
        leaf:
          member === undefined && decl.type.kind === 'simple' && decl.fallback === undefined
            ? simpleCodec(decl.type)
            : undefined,
        reader: undefined,
        after: undefined,
      };
      const have = out.get(decl.name);
      if (have) have.push(slot);
      else out.set(decl.name, [slot]);
    };
    if (!property.decl.abstract) add(property.decl, undefined);
    for (const s of property.decl.substitutes ?? []) add(s, s.name);
  }
  return out;
}

export function slotFor(slots: Slots, local: string, uri: string): Slot | undefined {
  const list = slots.get(local);
  if (list === undefined) return undefined;
  for (const slot of list) if (slot.uri === uri) return slot;
  return undefined;
}
