import type { Binding, ElementDecl, ElementProperty, Order } from '../../contract/xsd';
import type { ScannedName } from '../../xml';
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
  /** Set for an element of simple type that is no substitute: without attributes nothing else needs a look. */
  readonly leaf: SimpleCodec | undefined;
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

export type Slots = ReadonlyMap<string, readonly Slot[]>;

export function slotsOf(b: Binding, order: Order): Slots {
  const out = new Map<string, Slot[]>();
  for (const property of b.byElement.values()) {
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
        leaf:
          member === undefined && decl.type.kind === 'simple' && decl.fallback === undefined
            ? simpleCodec(decl.type)
            : undefined,
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
