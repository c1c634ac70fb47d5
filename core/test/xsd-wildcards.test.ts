import { describe, expect, test } from '@jest/globals';
import { readSoap, readWsdl, writeSoap } from '../src';
import { bodyOf, wsdlAround, xsdJudge } from './files';

/**
 * Wildcards hold what stands in them against its own declaration (XML Schema Part 1 §3.10.4, §3.4.4). libxml2 judges the same XML: where
 * it accepts, we must, and where it refuses, what we write must have been refused.
 */
const NS = 'urn:test';
const ATTRIBUTES = 'elementFormDefault="qualified"';
const GLOBALS = `<xs:element name="depth" type="xs:int"/>
  <xs:element name="mark"><xs:complexType><xs:sequence><xs:element name="name" type="xs:string"/><xs:element name="lit" type="xs:boolean" minOccurs="0"/></xs:sequence></xs:complexType></xs:element>
  <xs:element name="box"><xs:complexType><xs:sequence><xs:any minOccurs="0"/></xs:sequence></xs:complexType></xs:element>
  <xs:attribute name="rank" type="xs:unsignedByte"/>`;

function world(any: string, attribute = '') {
  const type = (name: string) =>
    `<xs:element name="${name}"><xs:complexType><xs:sequence><xs:element name="a" type="xs:int"/>${any}</xs:sequence>${attribute}</xs:complexType></xs:element>`;
  const schema = GLOBALS + type('In') + type('Out');
  const op = readWsdl(wsdlAround(schema, { attributes: ATTRIBUTES })).operations[0]!.soap!;
  const judge = xsdJudge(
    {
      's.xsd': `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="${NS}" xmlns="${NS}" xmlns:t="${NS}" ${ATTRIBUTES}>${schema}</xs:schema>`,
    },
    's.xsd',
  );
  const out = (inner: string, attributes = '') =>
    `<t:Out xmlns:t="${NS}" xmlns:x="urn:x"${attributes}><t:a>1</t:a>${inner}</t:Out>`;
  return {
    /** Faults of a reply with this inside. */
    read(inner: string, lenient = false, attributes = ''): string[] {
      const envelope = `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body>${out(inner, attributes)}</s:Body></s:Envelope>`;
      const a = readSoap(envelope, { message: op.output!, faults: op.faults }, lenient);
      return a.kind === 'reply' ? a.faults.map((f) => `${f.kind} ${f.pointer} ${f.words}`) : [a.kind];
    },
    valid: (inner: string, attributes = ''): boolean => judge(out(inner, attributes)) === undefined,
    /** 'valid' when libxml2 accepts what was written; otherwise its words, or our faults. */
    write(value: Record<string, unknown>): string {
      const w = writeSoap('1.1', op.input, { body: { a: 1, ...value } });
      return w.faults.length
        ? w.faults.map((f) => `${f.kind} ${f.pointer} ${f.words}`).join('; ')
        : (judge(bodyOf(w.text)) ?? 'valid');
    },
  };
}

const DEPTH = { 't:depth': { '@xmlns:t': NS, '#text': '7' } };

describe.each(['strict', 'lax'])('%s', (process) => {
  const c = world(`<xs:any minOccurs="0" maxOccurs="unbounded" processContents="${process}"/>`);

  test('what is declared is held against its declaration', () => {
    expect(c.write({ $any: [DEPTH] })).toBe('valid');
    expect(c.write({ $any: [{ 't:depth': { '@xmlns:t': NS, '#text': 'deep' } }] })).toMatch(
      /^type \/body\/\$any\/0 depth: .*deep/,
    );
    expect(c.valid('<t:depth>deep</t:depth>')).toBe(false);
    expect(c.read('<t:depth>7</t:depth><t:depth>deep</t:depth>')).toEqual([
      expect.stringMatching(/^type \/\$any\/1 depth: /),
    ]);
  });

  test('so is what stands deeper, with the place inside', () => {
    expect(c.valid('<t:mark><t:name>x</t:name><t:lit>maybe</t:lit></t:mark>')).toBe(false);
    expect(c.read('<t:mark><t:name>x</t:name><t:lit>maybe</t:lit></t:mark>')).toEqual([
      expect.stringMatching(/^type \/\$any\/0 mark, at \/lit: /),
    ]);
    const mark = { 't:mark': { '@xmlns:t': NS, 't:lit': 'true' } };
    expect(c.write({ $any: [mark] })).toMatch(/^missing \/body\/\$any\/0 mark, at \/name: /);
    expect(c.valid('<t:mark><t:lit>true</t:lit></t:mark>')).toBe(false);
  });

  test('room within room is looked into, to a depth', () => {
    const boxed = (inner: string, n: number): string => (n === 0 ? inner : boxed(`<t:box>${inner}</t:box>`, n - 1));
    expect(c.read(boxed('<t:depth>deep</t:depth>', 3))).toHaveLength(1);
    expect(c.valid(boxed('<t:depth>deep</t:depth>', 3))).toBe(false);
    // A bound, not a wish: deeper text is taken as it is.
    expect(c.read(boxed('<t:depth>deep</t:depth>', 200))).toEqual([]);
  });

  test('a lenient reading looks at nothing', () => {
    expect(c.read('<t:depth>deep</t:depth>', true)).toEqual([]);
  });
});

test('undeclared elements: strict refuses to write them and reads them, lax does both', () => {
  const other = { 'x:y': { '@xmlns:x': 'urn:x', '#text': '1' } };
  const strict = world('<xs:any minOccurs="0"/>');
  const lax = world('<xs:any minOccurs="0" processContents="lax"/>');
  expect(strict.valid('<x:y>1</x:y>')).toBe(false);
  expect(strict.write({ $any: [other] })).toMatch(/^unknown \/body\/\$any\/0 y of urn:x is declared nowhere/);
  expect(strict.read('<x:y>1</x:y>')).toEqual([]);
  expect(lax.write({ $any: [other] })).toBe('valid');
  expect(lax.read('<x:y>1</x:y>')).toEqual([]);
});

test('skip looks at nothing, and writes anything', () => {
  const c = world('<xs:any minOccurs="0" processContents="skip"/>');
  expect(c.write({ $any: [{ 't:depth': { '@xmlns:t': NS, '#text': 'deep' } }] })).toBe('valid');
  expect(c.read('<t:depth>deep</t:depth>')).toEqual([]);
});

test.each([
  ['##other', { 'x:y': { '@xmlns:x': 'urn:x' } }, DEPTH],
  ['##targetNamespace', DEPTH, { 'x:y': { '@xmlns:x': 'urn:x' } }],
  ['##local', { y: '1' }, DEPTH],
  ['urn:x urn:y', { 'x:y': { '@xmlns:x': 'urn:x' } }, { 'z:y': { '@xmlns:z': 'urn:z' } }],
])('namespace="%s" says whose elements may stand there', (namespace, good, bad) => {
  const c = world(`<xs:any minOccurs="0" namespace="${namespace}" processContents="lax"/>`);
  expect(c.write({ $any: [good] })).toBe('valid');
  expect(c.write({ $any: [bad] })).toMatch(/^unknown \/body\/\$any\/0 .* may stand here/);
});

describe('attributes', () => {
  test('declared ones have their type, undeclared ones are not written under strict', () => {
    const c = world('', '<xs:anyAttribute/>');
    expect(c.write({ $attributes: { [`{${NS}}rank`]: '7' } })).toBe('valid');
    expect(c.write({ $attributes: { [`{${NS}}rank`]: '700' } })).toMatch(/^type \/body\/\$attributes/);
    expect(c.valid('', ' t:rank="700"')).toBe(false);
    expect(c.read('', false, ' t:rank="700"')).toEqual([
      expect.stringMatching(/^type \/\$attributes\/\{urn:test\}rank /),
    ]);
    expect(c.valid('', ' x:k="1"')).toBe(false);
    expect(c.write({ $attributes: { '{urn:x}k': '1' } })).toMatch(/^unknown .* declared nowhere/);
    expect(c.read('', false, ' x:k="1"')).toEqual([]);
  });

  test('namespaces are kept apart', () => {
    const c = world('', '<xs:anyAttribute namespace="##other" processContents="lax"/>');
    expect(c.write({ $attributes: { '{urn:x}k': '1' } })).toBe('valid');
    expect(c.write({ $attributes: { k: '1' } })).toMatch(/^unknown .* may not stand here/);
    expect(c.valid('', ' k="1"')).toBe(false);
    expect(c.read('', false, ' k="1"')).toEqual([expect.stringMatching(/^unknown/)]);
  });
});
