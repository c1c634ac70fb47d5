import fc from 'fast-check';
import { readJson } from '../src';

/**
 * Schemas at random, and values of them, by the rules of INTERFACES, "JSON made from XML that has a schema": what stands here is derived from those
 * rules alone and knows nothing of the reader and the writer.
 */
type Simple = 'string' | 'decimal' | 'long' | 'boolean' | 'date' | 'dateTime' | 'enum' | 'list' | 'base64Binary';

interface Field {
  readonly name: string;
  readonly of: Simple | Complex;
  readonly min: 0 | 1;
  readonly many: boolean;
  readonly nillable: boolean;
}

interface Attribute {
  readonly name: string;
  readonly of: Exclude<Simple, 'list'>;
  readonly required: boolean;
}

export interface Complex {
  readonly kind: 'sequence' | 'choice' | 'all' | 'text';
  readonly fields: readonly Field[];
  readonly attributes: readonly Attribute[];
  /** Of simple content. */
  readonly text?: Simple;
  /** How many of the fields stand in a type that this one extends. */
  readonly inherited: number;
}

const simple = fc.constantFrom<Simple>(
  'string',
  'decimal',
  'long',
  'boolean',
  'date',
  'dateTime',
  'enum',
  'list',
  'base64Binary',
);
const plain = simple.filter((s) => s !== 'list') as fc.Arbitrary<Exclude<Simple, 'list'>>;
const NAMES = ['alpha', 'beta', 'gamma', 'delta', 'epsilon', 'zeta-1', 'eta_2', 'Theta', 'ιώτα', 'value'];

const attributes = (most: number): fc.Arbitrary<readonly Attribute[]> =>
  fc
    .array(fc.record({ of: plain, required: fc.boolean() }), { maxLength: most })
    .map((list) => list.map((a, i) => ({ ...a, name: ['id', 'kind', 'lang'][i]! })));

export function complex(depth: number): fc.Arbitrary<Complex> {
  const type: fc.Arbitrary<Simple | Complex> =
    depth > 0 ? fc.oneof({ weight: 3, arbitrary: simple }, complex(depth - 1)) : simple;
  const field = fc.record({
    of: type,
    min: fc.constantFrom<0 | 1>(0, 1),
    many: fc.integer({ min: 0, max: 3 }).map((n) => n === 0),
    nillable: fc.integer({ min: 0, max: 4 }).map((n) => n === 0),
  });
  const fields = fc.array(field, { maxLength: 5 }).map((list) => list.map((f, i) => ({ ...f, name: NAMES[i]! })));
  return fc.oneof(
    {
      weight: 4,
      arbitrary: fc.record({
        kind: fc.constant('sequence' as const),
        fields,
        attributes: attributes(2),
        inherited: fc.integer({ min: 0, max: 2 }),
      }),
    },
    {
      weight: 1,
      // Exactly one of them: present, or it would be told from absence by nothing.
      arbitrary: fc
        .record({
          kind: fc.constant('choice' as const),
          fields: fields.filter((f) => f.length > 0),
          attributes: attributes(1),
          inherited: fc.constant(0),
        })
        .map((c) => ({ ...c, fields: c.fields.map((f) => ({ ...f, many: false, min: 1 as const })) })),
    },
    {
      weight: 1,
      arbitrary: fc
        .record({ kind: fc.constant('all' as const), fields, attributes: attributes(1), inherited: fc.constant(0) })
        .map((c) => ({ ...c, fields: c.fields.map((f) => ({ ...f, many: false })) })),
    },
    {
      weight: 1,
      arbitrary: fc.record({
        kind: fc.constant('text' as const),
        fields: fc.constant([]),
        text: simple,
        attributes: attributes(2),
        inherited: fc.constant(0),
      }),
    },
  );
}

/** A wrapper is its list ("wrapped"). */
const isWrapper = (t: Complex): boolean =>
  t.kind === 'sequence' && t.attributes.length === 0 && t.fields.length === 1 && t.fields[0]!.many;

/** The type as XML Schema; named types that it needs are added to `named`. */
export function xsd(t: Complex, named: string[]): string {
  const attrs = t.attributes
    .map((a) => `<xs:attribute name="${a.name}" ${typed(a.of, named)}${a.required ? ' use="required"' : ''}`)
    .map((s, i) => close(s, t.attributes[i]!.of, 'attribute'))
    .join('');
  if (t.kind === 'text') {
    const base = t.text!;
    const name = `N${named.length}`;
    named.push(`<xs:simpleType name="${name}">${restricted(base)}</xs:simpleType>`);
    return `<xs:complexType><xs:simpleContent><xs:extension base="${name}">${attrs}</xs:extension></xs:simpleContent></xs:complexType>`;
  }
  const elements = (list: readonly Field[]) => list.map((f) => element(f, named)).join('');
  const n = Math.min(t.inherited, t.fields.length);
  if (n > 0) {
    const at = named.length;
    named.push('');
    const base = elements(t.fields.slice(0, n));
    named[at] = `<xs:complexType name="B${at}"><xs:sequence>${base}</xs:sequence></xs:complexType>`;
    return `<xs:complexType><xs:complexContent><xs:extension base="B${at}"><xs:sequence>${elements(t.fields.slice(n))}</xs:sequence>${attrs}</xs:extension></xs:complexContent></xs:complexType>`;
  }
  return `<xs:complexType><xs:${t.kind}>${elements(t.fields)}</xs:${t.kind}>${attrs}</xs:complexType>`;
}

function element(f: Field, named: string[]): string {
  const head = `<xs:element name="${f.name}"${f.min === 0 ? ' minOccurs="0"' : ''}${f.many ? ' maxOccurs="unbounded"' : ''}${f.nillable ? ' nillable="true"' : ''}`;
  if (typeof f.of !== 'string') return `${head}>${xsd(f.of, named)}</xs:element>`;
  return close(`${head} ${typed(f.of, named)}`, f.of, 'element');
}

const typed = (s: Simple, _named: string[]): string => (s === 'enum' || s === 'list' ? '' : `type="xs:${s}"`);
const close = (head: string, s: Simple, tag: string): string =>
  s === 'enum' || s === 'list' ? `${head}><xs:simpleType>${restricted(s)}</xs:simpleType></xs:${tag}>` : `${head}/>`;
const restricted = (s: Simple): string =>
  s === 'list'
    ? '<xs:list itemType="xs:int"/>'
    : s === 'enum'
      ? '<xs:restriction base="xs:string"><xs:enumeration value="timber"/><xs:enumeration value="dry bulk"/></xs:restriction>'
      : `<xs:restriction base="xs:${s}"/>`;

const two = (n: number): string => String(n).padStart(2, '0');
const day = fc
  .tuple(fc.integer({ min: 1, max: 12 }), fc.integer({ min: 1, max: 28 }))
  .map(([m, d]) => `2026-${two(m)}-${two(d)}`);
/** Text that XML can carry: no control characters but tab and line ends, no lone surrogates. */
const text = fc.string({
  unit: fc.constantFrom('a', 'Z', '<', '>', '&', '"', "'", ' ', '\t', '\n', '\r', 'é', '漢', '😀', ']]>', '\u0085'),
  maxLength: 12,
});

function simpleValue(s: Simple): fc.Arbitrary<unknown> {
  switch (s) {
    case 'string':
      return text;
    case 'decimal':
      return fc
        .tuple(fc.bigInt({ min: -(10n ** 25n), max: 10n ** 25n }), fc.integer({ min: 0, max: 99 }))
        .map(([a, b]) => readJson(`${a}.${two(b)}`));
    case 'long':
      return fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }).map((n) => readJson(String(n)));
    case 'boolean':
      return fc.boolean();
    case 'date':
      return day;
    case 'dateTime':
      return fc.tuple(day, fc.constantFrom('Z', '+01:00', '-09:30')).map(([d, z]) => `${d}T05:30:00${z}`);
    case 'enum':
      return fc.constantFrom('timber', 'dry bulk');
    case 'list':
      return fc.array(fc.integer({ min: -9, max: 99 }), { maxLength: 3 });
    case 'base64Binary':
      return fc.uint8Array({ maxLength: 6 }).map((b) => Buffer.from(b).toString('base64'));
  }
}

/** JSON of the content of an element of this type. */
export function valueOf(t: Complex): fc.Arbitrary<unknown> {
  const members: [string, fc.Arbitrary<unknown>, boolean][] = t.attributes.map((a) => [
    attributeName(t, a.name),
    simpleValue(a.of),
    a.required,
  ]);
  if (t.kind === 'text') {
    return record([...members, ['value', simpleValue(t.text!), true]]);
  }
  const of = (f: Field): [string, fc.Arbitrary<unknown>, boolean] => [
    f.name,
    f.many ? many(f) : one(f),
    f.many || f.min === 1,
  ];
  if (t.kind === 'choice') return fc.oneof(...t.fields.map((f) => record([...members, of(f)])));
  return record([...members, ...t.fields.map(of)]);
}

const attributeName = (t: Complex, name: string): string =>
  t.fields.some((f) => f.name === name) ? `${name}Attribute` : name;

const record = (members: readonly [string, fc.Arbitrary<unknown>, boolean][]): fc.Arbitrary<unknown> =>
  fc.record(Object.fromEntries(members.map(([n, a]) => [n, a])), {
    requiredKeys: members.filter(([, , needed]) => needed).map(([n]) => n),
    noNullPrototype: true,
  });

const one = (f: Field): fc.Arbitrary<unknown> => {
  // A wrapper that repeats, or may be nil, stays an object (docs/xml-json.md).
  const wrapped = typeof f.of !== 'string' && isWrapper(f.of) && !f.many && !f.nillable;
  const value = typeof f.of === 'string' ? simpleValue(f.of) : wrapped ? many(f.of.fields[0]!) : valueOf(f.of);
  // A nil element keeps its attributes (XSD Part 1 §3.3.4); null has none, so it cannot stand for one that needs them.
  const needs = typeof f.of !== 'string' && f.of.attributes.some((a) => a.required);
  return f.nillable && !needs ? fc.oneof({ weight: 3, arbitrary: value }, fc.constant(null)) : value;
};
const many = (f: Field): fc.Arbitrary<unknown> => fc.array(one(f), { minLength: f.min, maxLength: 3 });
