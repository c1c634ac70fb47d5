import { childrenOf, type QName, type XmlElement } from '../../xml';
import { XSD, type ComplexType, type ElementDecl, type SchemaLookup, type SimpleType, type Type } from './components';

/** One xs:schema element as it takes part: a chameleon include takes part once for each namespace it is drawn into. */
export interface SchemaDocument {
  readonly root: XmlElement;
  readonly targetNamespace: string;
  readonly elementsQualified: boolean;
  readonly attributesQualified: boolean;
  /** True where the document has no targetNamespace of its own and took the includer's (Part 1 §4.2.1). */
  readonly chameleon: boolean;
}

export interface Declared {
  readonly node: XmlElement;
  readonly doc: SchemaDocument;
}

export const COMPONENT_KINDS = [
  'element',
  'complexType',
  'simpleType',
  'attribute',
  'group',
  'attributeGroup',
] as const;
export type ComponentKind = (typeof COMPONENT_KINDS)[number];

/** What the builders of components ask of the set of all schemas. */
export interface Resolver extends SchemaLookup {
  resolveName(node: XmlElement, text: string, doc: SchemaDocument): QName;
  lookup(kind: ComponentKind, q: QName): Declared | undefined;
  need(kind: ComponentKind, q: QName, from: XmlElement): Declared;
  element(q: QName, from: XmlElement): ElementDecl;
  simpleType(q: QName, from: XmlElement): SimpleType;
  type(q: QName, from: XmlElement): Type;
  substitutesOf(q: QName): readonly ElementDecl[];
  derivedFrom(q: QName): readonly ComplexType[];
}

/** xs:annotation/xs:documentation of a component, white space folded. */
export function documentationOf(node: XmlElement): string | undefined {
  // Annotations come first (Part 1 §3.13.2); most components have none.
  if (node.children[0]?.local !== 'annotation') return undefined;
  const parts: string[] = [];
  for (const annotation of childrenOf(node, XSD, 'annotation')) {
    for (const d of childrenOf(annotation, XSD, 'documentation')) parts.push(deepText(d));
  }
  const text = parts.join('\n').replace(/\s+/g, ' ').trim();
  return text || undefined;
}

export function deepText(e: XmlElement): string {
  return e.text + e.children.map(deepText).join(' ');
}
