import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readJson, readWsdl, writeJson } from '../src';
import { Misfit, simpleCodec } from '../src/codec/xml';
import { SchemaSet, type SimpleType } from '../src/contract/xsd';
import { patternMatcher, PatternError } from '../src/pattern';
import { readXmlTree } from '../src/xml';
import { wsdlAround, xsdJudge } from './files';

const XS = 'xmlns:xs="http://www.w3.org/2001/XMLSchema"';

/** A simple type from the inside of xs:simpleType, and libxml2's judgement of a text of it. */
function both(inner: string): { type: SimpleType; judge: (text: string) => boolean } {
  const set = new SchemaSet();
  const root = readXmlTree(
    `<xs:schema ${XS} targetNamespace="urn:t"><xs:simpleType name="T">${inner}</xs:simpleType></xs:schema>`,
    't.xsd',
  );
  set.addSchema(root);
  const judge = xsdJudge(
    {
      't.xsd': `<xs:schema ${XS}><xs:element name="e"><xs:simpleType>${inner}</xs:simpleType></xs:element></xs:schema>`,
    },
    't.xsd',
  );
  return {
    type: set.simpleType({ uri: 'urn:t', local: 'T' }, root),
    judge: (text) => judge(`<e>${escape(text)}</e>`) === undefined,
  };
}
const escape = (text: string) =>
  text.replace(/[&<>\r]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '\r': '&#13;' })[c]!);

const restriction = (base: string, facets: string) => `<xs:restriction base="${base}">${facets}</xs:restriction>`;
const pattern = (source: string) => `<xs:pattern value="${escape(source).replace(/"/g, '&quot;')}"/>`;

const fits = (type: SimpleType, text: string) => !(simpleCodec(type).read(text) instanceof Misfit);

describe('patterns: our judgement is that of libxml2', () => {
  test.each([
    ['\\i\\c*', ['a', ':a-1', '1a', '_·', 'é1', '-a', '']],
    ['[\\i-[:]][\\c-[:]]*', ['a', ':a', 'a:b', 'ab-1']],
    ['\\I\\C', ['1 ', 'a ', '1a', '- ']],
    ['[\\I]+', ['1 -', 'a']],
    ['\\w+', ['abc', 'a_b', 'a b', 'é٣', 'a+b', 'a-b', '']],
    ['\\W+', ['-. ', 'a', '_']],
    ['[\\w.-]+@[\\w-]+', ['a.b@c-d', 'a b@c', '@c']],
    ['\\p{L}+', ['äöß', 'Ж', 'a1']],
    ['\\P{L}+', ['12 ', 'a']],
    ['\\p{Lu}\\p{Ll}*', ['Ärger', 'ärger', 'A']],
    ['[\\p{L}\\p{Nd} ]{1,5}', ['añ 1٣', 'a-b', '']],
    ['[^\\p{L}]', ['1', 'a', '']],
    ['\\p{IsGreek}+', ['αβγ', 'abc']],
    ['\\p{IsBasicLatin}*', ['plain', 'plän']],
    ['[\\p{IsCyrillic}-[а-я]]+', ['ЖЗ', 'Жз']],
    ['\\P{IsBasicLatin}', ['ä', 'a']],
    ['[a-z-[aeiou]]+', ['bcd', 'bad']],
    ['[^a-z-[0-9]]+', ['AB', 'A1', 'Ab']],
    ['[\\S-[<>]]+', ['ab', 'a>b', 'a b']],
    ['[.*+?(){}|]+', ['.*+?(){}|', 'a']],
    ['[-a]+', ['-a', 'b']],
    ['[a-]+', ['-a', 'b']],
    ['[\\^a]+', ['^a', 'b']],
    ['[a^]+', ['^a', 'b']],
    ['\\-\\^\\.\\\\\\?\\*\\+\\{\\}\\(\\)\\[\\]\\|', ['-^.\\?*+{}()[]|', '-']],
    ['\\n\\t', ['\n\t', 'nt']],
    ['a{3}', ['aaa', 'aa', 'aaaa']],
    ['a{2,}', ['aa', 'aaaaaaa', 'a']],
    ['a{0}', ['', 'a']],
    ['a{0,2}b', ['b', 'aab', 'aaab']],
    ['(ab){2,3}', ['abab', 'ababab', 'ab', 'abababab']],
    ['(a|bc)*d', ['abcd', 'bcbcd', 'd', 'abd']],
    ['(a+)+b', ['aaab', 'aaaa', 'b']],
    ['((a|b)*c){2}', ['abcbc', 'cc', 'abc']],
    ['(a?){3}b', ['aab', 'aaab', 'aaaab']],
    ['|a', ['', 'a', 'b']],
    ['()', ['', 'a']],
    ['a|b|', ['', 'a', 'b', 'ab']],
    ['[a-zA-Z]{1,8}(-[a-zA-Z0-9]{1,8})*', ['en', 'en-GB', 'en-GB-x-1', 'e_n', 'abcdefghi']],
    ['(([01][0-9]|2[0-3])[0-5][0-9](, )?)+', ['0530', '0530, 2359', '2400', '']],
    ['.', ['a', '\n', 'ab', '😀', '']],
    ['[😀-😂]{2}', ['😀😂', '😀', '😃😀']],
    ['^a$', ['^a$', 'a']],
    ['a,b/c"d', ['a,b/c"d', 'ab']],
  ])('%s', (source, texts) => {
    const { type, judge } = both(restriction('xs:string', pattern(source)));
    expect(texts.map((t) => [t, fits(type, t)])).toEqual(texts.map((t) => [t, judge(t)]));
  });

  test('several patterns of one step are alternatives, those of several steps all hold', () => {
    const { type, judge } = both(
      restriction('xs:string', '').replace(
        /base="xs:string">/,
        `><xs:simpleType>${restriction('xs:string', pattern('a.*') + pattern('.*b'))}</xs:simpleType>${pattern('.{3}')}`,
      ),
    );
    const texts = ['axx', 'xxb', 'xxx', 'axxx', 'ab'];
    expect(texts.map((t) => fits(type, t))).toEqual(texts.map(judge));
  });

  const leaf = fc.constantFrom('a', 'b', '.', '[ab]', '[^a]', '\\d', '[a-c-[b]]', '\\p{Ll}', '\\i', '\\s', '1');
  const { tree } = fc.letrec<{ tree: string; group: string }>((tie) => ({
    tree: fc.oneof({ depthSize: 'small', withCrossShrink: true }, leaf, tie('group')),
    group: fc.oneof(
      fc.tuple(tie('tree'), tie('tree')).map(([a, b]) => a + b),
      fc.tuple(tie('tree'), tie('tree')).map(([a, b]) => `(${a}|${b})`),
      fc
        .tuple(tie('tree'), fc.constantFrom('?', '*', '+', '{2}', '{1,2}', '{0,3}', '{2,}'))
        .map(([a, q]) => `(${a})${q}`),
    ),
  }));
  const texts = fc.array(fc.string({ unit: fc.constantFrom('a', 'b', 'c', '1', ' ', 'ä'), maxLength: 8 }), {
    minLength: 5,
    maxLength: 5,
  });
  test('property: made-up patterns and texts', () => {
    fc.assert(
      fc.property(tree, texts, (source, some) => {
        const { type, judge } = both(restriction('xs:string', pattern(source)));
        expect(some.map((t) => [t, fits(type, t)])).toEqual(some.map((t) => [t, judge(t)]));
      }),
      { seed: 20261129, numRuns: 400 },
    );
  });

  test('where libxml2 judges otherwise than the clauses say: what is taken away may lack something itself (F.1 [17]), nothing three times is nothing', () => {
    expect(['exyz', 'abc'].map(patternMatcher('[a-z-[a-m-[e]]]+'))).toEqual(['match', 'mismatch']);
    expect(['b', 'ab'].map(patternMatcher('(a?){3}b'))).toEqual(['match', 'match']);
  });
});

test('a pattern that keeps a backtracking engine busy is held all the same, in time that grows with the text', () => {
  const slow = patternMatcher('(a+)+b');
  expect([slow('a'.repeat(1_000_000)), slow('a'.repeat(1_000_000) + 'b')]).toEqual(['mismatch', 'match']);
  expect(patternMatcher('(.*a.{0,20})*')('ab'.repeat(100_000))).toBe('match');
  expect(patternMatcher('(([a-z])+.)+[A-Z]([a-z])+')('a'.repeat(100_000))).toBe('mismatch');
});

test('one that would take too much work for a text refuses it and says so; the next text is judged', () => {
  const { type } = both(restriction('xs:string', pattern('((a{0,300}){0,60}x)?')));
  const read = simpleCodec(type).read('a'.repeat(20_000)) as Misfit;
  expect(read.words).toMatch(/^"a+…" is too much to hold against/);
  expect([fits(type, 'aaax'), fits(type, 'aaay'), fits(type, '')]).toEqual([true, false, true]);
});

test('a text of megabytes in a repeated group is judged or refused, and breaks nothing', () => {
  const text = 'ab'.repeat(5_000_000);
  expect(['match', 'unknown']).toContain(patternMatcher('(ab)*')(text));
  expect(fits(both(restriction('xs:hexBinary', '')).type, text)).toBe(true);
  expect(fits(both(restriction('xs:base64Binary', '')).type, text)).toBe(true);
});

describe('what is no pattern is refused with its place', () => {
  test.each([
    ['(a', '( is not closed', 0],
    ['a)', ') closes nothing', 1],
    ['[a', '[ is not closed', 0],
    ['a]', '] closes nothing', 1],
    ['[]', 'the class holds nothing', 0],
    ['a**', '* repeats nothing', 2],
    ['*a', '* repeats nothing', 0],
    ['(?:a)', '? repeats nothing', 1],
    ['a{3,2}', '{3,2} allows no number of times', 1],
    ['a{1,9999999}', '{1,9999999} is more than 1000000 times', 1],
    ['(a{1,1000}){1000}', 'it has more than 50000 places to be in', 0],
    ['[z-a]', 'a range runs backwards', 1],
    ['[a-\\d]', 'a range ends with one character', 1],
    ['a\\', 'a \\ stands at the end', 1],
    ['\\bword', '\\b means nothing in XML Schema', 0],
    ['\\p{Greek}', '\\p{Greek} names no category and no block of Unicode', 0],
    ['[a-z-[aeiou]x]', 'nothing may follow a subtraction', 12],
    ['('.repeat(60) + ')'.repeat(60), 'it is nested deeper than 50', 50],
    ['x'.repeat(20_001), 'it is longer than 20000 characters', 20_000],
  ])('%s', (source, words, index) => {
    let error: unknown;
    try {
      patternMatcher(source);
    } catch (e) {
      error = e;
    }
    expect(error).toBeInstanceOf(PatternError);
    expect(error).toMatchObject({ words, index });
  });
});

const date = (facet: string, value: string) => `<xs:${facet} value="${value}"/>`;
const inner = (list: string, facets: string) =>
  `<xs:restriction><xs:simpleType>${list}</xs:simpleType>${facets}</xs:restriction>`;

describe('other facets: our judgement is that of libxml2', () => {
  test.each([
    [restriction('xs:integer', pattern('[0-9]{3}')), ['007', '7', '0007', ' 123 ']],
    [restriction('xs:decimal', pattern('\\d+\\.\\d{2}')), ['1.50', '1.5', '1.500', '12']],
    [restriction('xs:int', pattern('[1-9].*') + date('maxInclusive', '50')), ['9', '09', '50', '51']],
    [restriction('xs:boolean', pattern('true|false')), ['true', '1', 'false', '0']],
    [restriction('xs:double', pattern('[^eE]*')), ['1.5', '15e-1', 'NaN']],
    [
      restriction('xs:double', '<xs:enumeration value="1.5"/><xs:enumeration value="INF"/>'),
      ['1.50', '15e-1', 'INF', '-INF', '2'],
    ],
    ['<xs:list itemType="xs:int"/>', ['', '1', '1 2 x']],
    [
      inner('<xs:list itemType="xs:int"/>', '<xs:minLength value="1"/><xs:maxLength value="2"/>'),
      ['', '1', ' 1  2 ', '1 2 3'],
    ],
    [inner('<xs:list itemType="xs:token"/>', '<xs:length value="2"/>'), ['a', 'a b', 'a b c']],
    [inner('<xs:list itemType="xs:int"/>', pattern('1( \\d)*')), ['1 2', '2 1', '  1   2 ']],
    [
      inner('<xs:list itemType="xs:int"/>', '<xs:enumeration value="1 2"/><xs:enumeration value="3"/>'),
      ['1 2', ' 01  2', '2 1', '3'],
    ],
    [inner('<xs:union memberTypes="xs:int xs:boolean"/>', pattern('[0-9t].*')), ['5', 'true', 'false', '-5']],
    [
      inner('<xs:union memberTypes="xs:int xs:token"/>', '<xs:enumeration value="5"/><xs:enumeration value="many"/>'),
      ['5', 'many', '6', 'few'],
    ],
    [
      restriction('xs:date', date('minInclusive', '2026-01-01') + date('maxExclusive', '2027-01-01')),
      ['2025-12-31', '2026-01-01', '2026-12-31', '2027-01-01'],
    ],
    [
      restriction('xs:dateTime', date('minInclusive', '2026-01-01T00:00:00Z')),
      [
        '2026-01-01T00:00:00Z',
        '2026-01-01T00:30:00+01:00',
        '2025-12-31T23:30:00-01:00',
        '2026-01-02T00:00:00',
        '2025-12-30T00:00:00',
      ],
    ],
    [
      restriction('xs:dateTime', date('maxExclusive', '2026-01-01T00:00:00.5')),
      ['2026-01-01T00:00:00.5', '2026-01-01T00:00:00.49', '2026-01-01T00:00:00.50', '2025-12-30T23:00:00Z'],
    ],
    [restriction('xs:time', date('minExclusive', '05:30:00')), ['05:30:00', '05:30:00.001', '05:29:59', '23:00:00']],
    [restriction('xs:gYear', date('maxInclusive', '2026')), ['2026', '2027', '1999', '-0044']],
    [restriction('xs:gYearMonth', date('minInclusive', '2026-06')), ['2026-06', '2026-05', '2026-12']],
    [restriction('xs:gMonthDay', date('minInclusive', '--03-01')), ['--03-01', '--02-29', '--12-31']],
    [restriction('xs:duration', date('maxInclusive', 'P1D')), ['PT24H', 'PT24H1S', 'P1DT0.1S', 'PT0S', '-P1Y']],
    [restriction('xs:duration', date('minInclusive', 'P1M')), ['P1M', 'P31D', 'P27D', 'P1Y']],
    [
      restriction('xs:date', '<xs:enumeration value="2026-12-04Z"/>'),
      ['2026-12-04Z', '2026-12-04+00:00', '2026-12-04', '2026-12-05Z'],
    ],
    [restriction('xs:hexBinary', '<xs:enumeration value="0aFF"/>'), ['0AFF', '0aff', '0aFE']],
    [restriction('xs:language', ''), ['en', 'en-GB', 'e_n', 'abcdefghi', '']],
    [restriction('xs:NMTOKEN', ''), ['-a:1', 'a b', 'é', '']],
    [restriction('xs:Name', ''), [':a', '1a', 'a-1']],
    [restriction('xs:NCName', ''), ['a', 'a:b', '_1', '1']],
    [restriction('xs:base64Binary', ''), ['', 'AQ==', 'AQ=', 'AQI=', 'AQJ=', 'A Q I D', 'AQID AQ==', 'AQI', 'AR==']],
    [restriction('xs:hexBinary', ''), ['', '0aFf', '0aF', '0g']],
    [restriction('xs:decimal', date('totalDigits', '3')), ['123', '1234', '0.123', '012.30']],
  ])('%s', (type, texts) => {
    const made = both(type);
    expect(texts.map((t) => [t, fits(made.type, t)])).toEqual(texts.map((t) => [t, made.judge(t)]));
  });
});

test('two moments that cannot be compared are in no order (Part 2 §3.2.7.4), where libxml2 lets them pass', () => {
  const { type } = both(restriction('xs:dateTime', date('minInclusive', '2026-01-01T00:00:00Z')));
  expect((simpleCodec(type).read('2026-01-01T10:00:00') as Misfit).words).toBe(
    '2026-01-01T10:00:00 cannot be compared with 2026-01-01T00:00:00Z: only one of them has an offset',
  );
});

describe('of the texts of a value, one that matches the pattern is written', () => {
  test.each([
    ['xs:integer', '[0-9]{3}', '7', '007'],
    ['xs:int', '\\+\\d+', '7', '+7'],
    ['xs:int', '-[0-9]{3}', '-7', '-007'],
    ['xs:decimal', '\\d+\\.\\d{2}', '1.5', '1.50'],
    ['xs:decimal', '\\d+\\.\\d{2}', '12', '12.00'],
    ['xs:decimal', '\\d+\\.\\d{2}', '1.500', '1.50'],
    ['xs:decimal', '\\d{3}\\.\\d', '1', '001.0'],
    ['xs:decimal', '\\d+', '7.0', '7'],
    ['xs:decimal', '\\d+\\.\\d{2}', '1.505', 'misfit'],
    ['xs:boolean', '0|1', 'true', '1'],
    ['xs:boolean', '0|1', 'false', '0'],
    ['xs:double', '\\d\\.\\d{3}', '1.5', '1.500'],
    ['xs:string', '\\d{3}', '"7"', 'misfit'],
  ])('%s of %s: %s is %s', (base, source, json, want) => {
    const { type, judge } = both(restriction(base, pattern(source)));
    const text = simpleCodec(type).write(readJson(json));
    expect(text instanceof Misfit ? 'misfit' : text).toBe(want);
    if (typeof text === 'string') {
      expect(judge(text)).toBe(true);
      // And comes back as the same number.
      expect(Number(writeJson(simpleCodec(type).read(text)).replace('true', '1').replace('false', '0'))).toBe(
        Number(JSON.parse(json)),
      );
    }
  });
});

test('a pattern that cannot be held is said at import, once for each type, with its place; the others are held', () => {
  const contract = readWsdl(
    wsdlAround(
      `<xs:simpleType name="Wrong">${restriction('xs:string', pattern('(?:a'))}</xs:simpleType>
       <xs:element name="In"><xs:complexType><xs:sequence><xs:element name="a" type="Wrong"/><xs:element name="b" type="Wrong"/></xs:sequence><xs:attribute name="c"><xs:simpleType>${restriction('xs:string', pattern('\\b'))}</xs:simpleType></xs:attribute></xs:complexType></xs:element><xs:element name="Out" type="xs:string"/>`,
    ),
  );
  expect(contract.findings.map((f) => `${f.code} ${f.message}`).sort()).toEqual([
    'HNG-119 the pattern (?:a of Wrong: ? repeats nothing (character 2)',
    'HNG-119 the pattern \\b of c: \\b means nothing in XML Schema (character 1)',
  ]);
  for (const f of contract.findings) expect(f.place.line).toBeGreaterThan(2);
});
