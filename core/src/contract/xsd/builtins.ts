import type { Facets, SimpleType } from './components';
import { XSD } from './components';

/** Built-in types of XML Schema Part 2 §3, each with the type it is derived from and the facets that derivation adds. */
const DERIVED: Record<string, readonly [base: string, facets?: Facets]> = {
  normalizedString: ['string', { whiteSpace: 'replace' }],
  token: ['normalizedString', { whiteSpace: 'collapse' }],
  language: ['token'],
  NMTOKEN: ['token'],
  Name: ['token'],
  NCName: ['Name'],
  ID: ['NCName'],
  IDREF: ['NCName'],
  ENTITY: ['NCName'],
  integer: ['decimal', { fractionDigits: 0 }],
  nonPositiveInteger: ['integer', { maxInclusive: '0' }],
  negativeInteger: ['nonPositiveInteger', { maxInclusive: '-1' }],
  long: ['integer', { minInclusive: '-9223372036854775808', maxInclusive: '9223372036854775807' }],
  int: ['long', { minInclusive: '-2147483648', maxInclusive: '2147483647' }],
  short: ['int', { minInclusive: '-32768', maxInclusive: '32767' }],
  byte: ['short', { minInclusive: '-128', maxInclusive: '127' }],
  nonNegativeInteger: ['integer', { minInclusive: '0' }],
  unsignedLong: ['nonNegativeInteger', { maxInclusive: '18446744073709551615' }],
  unsignedInt: ['unsignedLong', { maxInclusive: '4294967295' }],
  unsignedShort: ['unsignedInt', { maxInclusive: '65535' }],
  unsignedByte: ['unsignedShort', { maxInclusive: '255' }],
  positiveInteger: ['nonNegativeInteger', { minInclusive: '1' }],
};

const PRIMITIVES = [
  'string',
  'boolean',
  'decimal',
  'float',
  'double',
  'duration',
  'dateTime',
  'time',
  'date',
  'gYearMonth',
  'gYear',
  'gMonthDay',
  'gDay',
  'gMonth',
  'hexBinary',
  'base64Binary',
  'anyURI',
  'QName',
  'NOTATION',
  'anySimpleType',
] as const;

const made = new Map<string, SimpleType>();

for (const name of PRIMITIVES) {
  const whiteSpace = name === 'string' || name === 'anySimpleType' ? 'preserve' : 'collapse';
  made.set(name, {
    kind: 'simple',
    name: { uri: XSD, local: name },
    variety: 'atomic',
    builtin: name,
    facets: { whiteSpace },
  });
}
for (const [name, [base, facets]] of Object.entries(DERIVED)) {
  const parent = made.get(base)!;
  made.set(name, {
    kind: 'simple',
    name: { uri: XSD, local: name },
    variety: 'atomic',
    builtin: name,
    facets: { ...parent.facets, ...facets },
  });
}
for (const [name, item] of [
  ['NMTOKENS', 'NMTOKEN'],
  ['IDREFS', 'IDREF'],
  ['ENTITIES', 'ENTITY'],
] as const) {
  made.set(name, {
    kind: 'simple',
    name: { uri: XSD, local: name },
    variety: 'list',
    builtin: 'anySimpleType',
    item: made.get(item)!,
    facets: { whiteSpace: 'collapse', minLength: 1 },
  });
}

export function builtinType(local: string): SimpleType | undefined {
  return made.get(local);
}

const INTEGERS = new Set([
  'integer',
  'nonPositiveInteger',
  'negativeInteger',
  'long',
  'int',
  'short',
  'byte',
  'nonNegativeInteger',
  'unsignedLong',
  'unsignedInt',
  'unsignedShort',
  'unsignedByte',
  'positiveInteger',
]);

export type JsonKind = 'integer' | 'decimal' | 'float' | 'boolean' | 'string';

/** How a built-in type stands in JSON: numbers keep every digit, all else is text. */
export function jsonKind(builtin: string): JsonKind {
  if (INTEGERS.has(builtin)) return 'integer';
  if (builtin === 'decimal') return 'decimal';
  if (builtin === 'float' || builtin === 'double') return 'float';
  if (builtin === 'boolean') return 'boolean';
  return 'string';
}
