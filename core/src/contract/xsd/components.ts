import type { QName } from '../../xml';
import type { Place } from '../../problem';

/** The schema components of XML Schema 1.0 Part 1 §2.2 that data binding needs. Built lazily: schemas are cyclic. */
export const XSD = 'http://www.w3.org/2001/XMLSchema';
export const XSI = 'http://www.w3.org/2001/XMLSchema-instance';

/** `max` is Infinity for "unbounded". */
export interface Particle {
  readonly min: number;
  readonly max: number;
  readonly term: Term;
}

export type Term = ElementDecl | ModelGroup | Wildcard;

export interface ModelGroup {
  readonly kind: 'sequence' | 'choice' | 'all';
  readonly particles: readonly Particle[];
}

export interface ElementDecl {
  readonly kind: 'element';
  readonly name: string;
  /** Namespace on the wire: '' for an unqualified local element. */
  readonly uri: string;
  /** Name of the JSON property, where it is not the local name. */
  readonly json?: string;
  /** Stands for an operation of style rpc. Its namespace is the binding's, but many take that of the WSDL (common practice). */
  readonly wrapper?: true;
  /** A list of some forms of its parent only: absent, it stays absent in JSON. */
  readonly sparse?: boolean;
  readonly global: boolean;
  readonly nillable: boolean;
  readonly abstract: boolean;
  /** `default` or `fixed`: what an empty element means (Part 1 §3.3.4); an absent one stays absent. */
  readonly fallback?: string;
  readonly doc?: string;
  readonly place: Place;
  /** Resolved on first use. */
  readonly type: Type;
  /** Elements that may stand in its place (Part 1 §3.3.6), transitively, abstract ones left out. Absent: none. */
  readonly substitutes?: readonly ElementDecl[];
  /** Where names that a message brings (xsi:type) are looked up. Absent: built-in types only. */
  readonly schemas?: SchemaLookup;
  /** Kept by `variantsOf`. A field, since a weak map of ten thousand declarations costs more than making what it holds. */
  variants?: unknown;
}

/** Global components by expanded name; undefined where there is none. */
export interface SchemaLookup {
  elementNamed(q: QName): ElementDecl | undefined;
  attributeNamed(q: QName): AttributeUse | undefined;
  typeNamed(q: QName): Type | undefined;
  typesCalled(local: string): readonly Type[];
}

export interface Wildcard {
  readonly kind: 'any';
  /** Text of the attribute `namespace` (Part 1 §3.10.2). */
  readonly namespaces: string;
  readonly process: 'strict' | 'lax' | 'skip';
  /** Target namespace of the schema that holds it: what ##other and ##targetNamespace mean. */
  readonly target: string;
  /** Where what stands there may be declared. Absent: nowhere. */
  readonly schemas?: SchemaLookup;
}

export interface AttributeUse {
  readonly name: string;
  readonly uri: string;
  /** Name of the JSON property, where it is not the local name. */
  readonly json?: string;
  readonly required: boolean;
  readonly doc?: string;
  readonly type: SimpleType;
}

export interface Facets {
  readonly length?: number;
  readonly minLength?: number;
  readonly maxLength?: number;
  readonly totalDigits?: number;
  readonly fractionDigits?: number;
  /** Lexical: bounds of dates and long decimals do not fit a number. */
  readonly minInclusive?: string;
  readonly maxInclusive?: string;
  readonly minExclusive?: string;
  readonly maxExclusive?: string;
  readonly enumeration?: readonly string[];
  /** Each entry is one derivation step; all must match. Within a step patterns are alternatives (Part 2 §4.3.4). */
  readonly patterns?: readonly string[];
  readonly whiteSpace?: 'preserve' | 'replace' | 'collapse';
}

export interface SimpleType {
  readonly kind: 'simple';
  readonly name?: QName;
  readonly variety: 'atomic' | 'list' | 'union';
  /** The nearest built-in type, e.g. 'int' for a restriction of xs:int; 'anySimpleType' for lists and unions. */
  readonly builtin: string;
  readonly item?: SimpleType;
  readonly members?: readonly SimpleType[];
  readonly facets: Facets;
  readonly doc?: string;
}

export type Content =
  | { readonly kind: 'empty' }
  | { readonly kind: 'simple'; readonly type: SimpleType }
  | { readonly kind: 'elements'; readonly particle: Particle };

export interface ComplexType {
  readonly kind: 'complex';
  readonly name?: QName;
  readonly abstract: boolean;
  readonly mixed: boolean;
  readonly base?: Type;
  readonly derivation: 'extension' | 'restriction';
  readonly content: Content;
  readonly attributes: readonly AttributeUse[];
  /** Wildcards for attributes: any of them may take one. Empty: only declared attributes. */
  readonly anyAttribute: readonly Wildcard[];
  /** Elements that it does not name may stand in it, in their general form: of JSON Schema, which is open where it does not say otherwise. */
  readonly open?: boolean;
  readonly doc?: string;
  readonly place: Place;
  /** Named types derived from this one, transitively, abstract ones left out: what xsi:type may say. Absent: none. */
  readonly derived?: readonly ComplexType[];
  /** Kept by `bindingOf`; a field for the same reason. */
  binding?: unknown;
}

export type Type = SimpleType | ComplexType;
