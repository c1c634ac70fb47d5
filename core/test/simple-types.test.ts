import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readJson, writeJson } from '../src';
import { compareDecimals, jsonNumberText, Misfit, simpleCodec } from '../src/codec/xml';
import { builtinType, SchemaSet, type SimpleType } from '../src/contract/xsd';
import { readXmlTree } from '../src/xml';
import { xsdJudge } from './files';

/** A simple type from the inside of xs:simpleType. */
function simple(inner: string): SimpleType {
  const set = new SchemaSet();
  const root = readXmlTree(
    `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:t" xmlns:t="urn:t"><xs:simpleType name="T">${inner}</xs:simpleType><xs:simpleType name="Colour"><xs:restriction base="xs:token"><xs:enumeration value="red"/><xs:enumeration value="dark green"/></xs:restriction></xs:simpleType></xs:schema>`,
    't.xsd',
  );
  set.addSchema(root);
  return set.simpleType({ uri: 'urn:t', local: 'T' }, root);
}
const read = (type: SimpleType, text: string): unknown => {
  const v = simpleCodec(type).read(text);
  return v instanceof Misfit ? 'misfit' : writeJson(v);
};
const write = (type: SimpleType, json: string): unknown => {
  const t = simpleCodec(type).write(readJson(json));
  return t instanceof Misfit ? 'misfit' : t;
};

describe('built-in types (XML Schema Part 2 §3): XML text to JSON', () => {
  test.each([
    ['boolean', ' 1 ', 'true'],
    ['boolean', 'yes', 'misfit'],
    ['byte', '127', '127'],
    ['byte', '128', 'misfit'],
    ['byte', '-129', 'misfit'],
    ['unsignedByte', '-0', '-0'],
    ['unsignedShort', '65536', 'misfit'],
    ['int', '2147483647', '2147483647'],
    ['int', '2147483648', 'misfit'],
    ['int', '1.0', 'misfit'],
    ['long', '-9223372036854775808', '-9223372036854775808'],
    ['long', '9223372036854775808', 'misfit'],
    ['unsignedLong', '18446744073709551615', '18446744073709551615'],
    ['unsignedLong', '18446744073709551616', 'misfit'],
    ['positiveInteger', '0', 'misfit'],
    ['negativeInteger', '-1', '-1'],
    ['integer', '+00012', '12'],
    ['decimal', '12.', '12'],
    ['decimal', '1e3', 'misfit'],
    ['decimal', '', 'misfit'],
    ['double', '1E3', '1E3'],
    ['double', '-INF', '"-INF"'],
    ['double', 'NaN', '"NaN"'],
    ['float', 'inf', 'misfit'],
    ['dateTime', '2026-12-04T05:30:00', '"2026-12-04T05:30:00"'],
    ['dateTime', '2026-13-04T05:30:00Z', 'misfit'],
    ['dateTime', '2026-12-04 05:30:00', 'misfit'],
    ['date', '2026-12-04+01:00', '"2026-12-04+01:00"'],
    ['date', '2026-12-32', 'misfit'],
    ['time', '05:30:00.125Z', '"05:30:00.125Z"'],
    ['duration', 'P1Y2M3DT4H5M6.7S', '"P1Y2M3DT4H5M6.7S"'],
    ['duration', 'P', 'misfit'],
    ['duration', 'PT', 'misfit'],
    ['gYear', '-0044', '"-0044"'],
    ['gMonthDay', '--12-04', '"--12-04"'],
    ['hexBinary', '0aF', 'misfit'],
    ['base64Binary', 'AQ ID', '"AQ ID"'],
    ['string', ' a\n b ', '" a\\n b "'],
    ['normalizedString', 'a\tb\nc', '"a b c"'],
    ['token', '  a \n  b ', '"a b"'],
    ['anyURI', ' http://a/b c ', '"http://a/b c"'],
    ['NMTOKENS', ' a  b ', '["a","b"]'],
  ])('xs:%s %p is %s', (name, text, want) => expect(read(builtinType(name)!, text)).toBe(want));
});

describe('JSON to XML text', () => {
  test.each([
    ['decimal', '1e-7', '0.0000001'],
    ['decimal', '12.5e3', '12500'],
    ['decimal', '0.90', '0.90'],
    ['decimal', '"0.90"', 'misfit'],
    ['int', '5.0', '5'],
    ['int', '5.5', 'misfit'],
    ['int', 'true', 'misfit'],
    ['boolean', '1', 'misfit'],
    ['boolean', '"true"', 'true'],
    ['string', '5', 'misfit'],
    ['string', 'null', 'misfit'],
    ['double', '1e400', '1e400'],
    ['double', '"INF"', 'INF'],
    ['NMTOKENS', '["a","b"]', 'a b'],
    ['NMTOKENS', '["a b"]', 'misfit'],
    ['NMTOKENS', '"a"', 'misfit'],
  ])('xs:%s from %s is %s', (name, json, want) => expect(write(builtinType(name)!, json)).toBe(want));
});

describe('facets', () => {
  const price = simple(
    '<xs:restriction base="xs:decimal"><xs:minInclusive value="0.10"/><xs:maxExclusive value="100"/><xs:fractionDigits value="2"/><xs:totalDigits value="4"/></xs:restriction>',
  );
  test.each([
    ['0.10', '0.10'],
    ['0.1', '0.1'],
    ['0.09', 'misfit'],
    ['99.99', '99.99'],
    ['100', 'misfit'],
    ['100.00', 'misfit'],
    ['1.005', 'misfit'],
    ['1.500', '1.500'],
  ])('bounds and digits: %s', (text, want) => expect(read(price, text)).toBe(want));

  test('enumerations are compared after white space is folded', () => {
    const colour = simple('<xs:restriction base="t:Colour"/>');
    expect([read(colour, ' dark   green '), read(colour, 'blue'), write(colour, '"red"')]).toEqual([
      '"dark green"',
      'misfit',
      'red',
    ]);
  });

  test('lengths count characters, not UTF-16 units', () => {
    const two = simple('<xs:restriction base="xs:string"><xs:length value="2"/></xs:restriction>');
    expect([read(two, '⚓⚓'), read(two, '😀😀'), read(two, 'a')]).toEqual(['"⚓⚓"', '"😀😀"', 'misfit']);
  });

  test.each([
    ['xs:string', '<xs:pattern value="[A-Z]{2}-\\d{3}"/>', ['AB-123', 'bad', 'AB-123 ', ' AB-123', 'AB-1234', '']],
    ['xs:token', '<xs:pattern value="\\d+ m|none"/>', [' 12   m ', 'none', '12m', 'nones']],
    ['xs:string', '<xs:pattern value="^a$"/>', ['^a$', 'a']],
    ['xs:string', '<xs:pattern value="a*"/><xs:maxLength value="3"/>', ['', 'aaa', 'aaaa', 'aab']],
    ['xs:string', '<xs:pattern value="\\S+"/>', ['a', 'a\u00a0b', 'a b']],
    [
      'xs:string',
      '<xs:pattern value="\\d\\s[\\d\\s]\\D."/>',
      ['1 2xy', '\u0663 \u0664xy', '1\u00a02xy', '1 \u00a0xy', '1 22x', '1 2x\u2028'],
    ],
    ['xs:date', '<xs:pattern value="2026-.*"/>', ['2026-12-04', '2027-01-01', '2026-99-01']],
    ['xs:hexBinary', '<xs:length value="2"/>', ['0aFF', '0a', '0aFF00', '']],
    [
      'xs:base64Binary',
      '<xs:minLength value="2"/><xs:maxLength value="3"/>',
      ['AQ==', 'AQI=', 'AQID', 'AQIDBA==', 'A Q I D'],
    ],
  ])('of %s, %s: our judgement is that of libxml2', (base, inner, texts) => {
    const restriction = `<xs:restriction base="${base}">${inner}</xs:restriction>`;
    const type = simple(restriction);
    const judge = xsdJudge(
      {
        't.xsd': `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"><xs:element name="e"><xs:simpleType>${restriction}</xs:simpleType></xs:element></xs:schema>`,
      },
      't.xsd',
    );
    const ours = texts.map((t) => [t, read(type, t) !== 'misfit', write(type, JSON.stringify(t)) !== 'misfit']);
    const theirs = texts.map((t) => {
      const valid = judge(`<e>${t}</e>`) === undefined;
      return [t, valid, valid];
    });
    expect(ours).toEqual(theirs);
  });

  test('a list of lists of facets: items are read one by one', () => {
    const depths = simple(
      '<xs:list><xs:simpleType><xs:restriction base="xs:decimal"><xs:minInclusive value="0"/></xs:restriction></xs:simpleType></xs:list>',
    );
    expect([read(depths, ' 1.50 2 '), read(depths, ''), read(depths, '1 -1')]).toEqual(['[1.50,2]', '[]', 'misfit']);
  });

  test('a union takes the first member that fits, in its order', () => {
    const some = simple(
      '<xs:union memberTypes="xs:int t:Colour"><xs:simpleType><xs:restriction base="xs:boolean"/></xs:simpleType></xs:union>',
    );
    expect([
      read(some, '5'),
      read(some, 'red'),
      read(some, 'true'),
      read(some, 'blue'),
      write(some, '7'),
      write(some, '"blue"'),
    ]).toEqual(['5', '"red"', 'true', 'misfit', '7', 'misfit']);
  });

  test('facets are inherited and narrowed', () => {
    const set = new SchemaSet();
    const root = readXmlTree(
      '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:t" targetNamespace="urn:t"><xs:simpleType name="A"><xs:restriction base="xs:int"><xs:minInclusive value="0"/></xs:restriction></xs:simpleType><xs:simpleType name="B"><xs:restriction base="t:A"><xs:maxInclusive value="9"/></xs:restriction></xs:simpleType></xs:schema>',
      't.xsd',
    );
    set.addSchema(root);
    const b = set.simpleType({ uri: 'urn:t', local: 'B' }, root);
    expect([read(b, '-1'), read(b, '9'), read(b, '10')]).toEqual(['misfit', '9', 'misfit']);
  });
});

describe('decimals without rounding', () => {
  const decimal = fc
    .tuple(fc.boolean(), fc.bigInt({ min: 0n, max: 10n ** 30n }), fc.integer({ min: 0, max: 20 }))
    .map(([minus, n, shift]) => {
      const digits = n.toString().padStart(shift + 1, '0');
      const text = shift ? `${digits.slice(0, -shift)}.${digits.slice(-shift)}` : digits;
      return { text: (minus ? '-' : '') + text, scaled: (minus ? -n : n) * 10n ** BigInt(20 - shift) };
    });

  test('property: comparing texts is comparing values', () => {
    fc.assert(
      fc.property(decimal, decimal, (a, b) => {
        const want = a.scaled < b.scaled ? -1 : a.scaled > b.scaled ? 1 : 0;
        expect(Math.sign(compareDecimals(a.text, b.text))).toBe(want);
      }),
      { seed: 118204, numRuns: 500 },
    );
  });

  test('property: what is read from XML is written as the same number', () => {
    const type = builtinType('decimal')!;
    fc.assert(
      fc.property(decimal, ({ text }) => {
        const value = simpleCodec(type).read(text);
        expect(simpleCodec(type).write(value)).toBe(jsonNumberText(text));
        expect(writeJson(readJson(writeJson(value)))).toBe(jsonNumberText(text));
      }),
      { seed: 412, numRuns: 300 },
    );
  });
});
