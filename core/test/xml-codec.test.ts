import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readJson, readSoap, readWsdl, sampleOf, writeJson, writeSoap, type SoapAnswer } from '../src';
import { berths, bodyOf, wsdlAround, xsdJudge } from './files';

const NS = 'urn:test';

function codec(schema: string, options?: { attributes?: string }) {
  const files = wsdlAround(schema, options);
  const contract = readWsdl(files);
  const op = contract.operations[0]!.soap!;
  return {
    contract,
    write: (body: unknown) => writeSoap('1.1', op.input, { body }),
    read: (inner: string, lenient = false): SoapAnswer =>
      readSoap(
        `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><s:Body>${inner}</s:Body></s:Envelope>`,
        { message: op.output!, faults: op.faults },
        lenient,
      ),
  };
}

const both = (type: string) =>
  `<xs:element name="In"><xs:complexType>${type}</xs:complexType></xs:element><xs:element name="Out"><xs:complexType>${type}</xs:complexType></xs:element>`;
const json = (a: SoapAnswer) => (a.kind === 'reply' ? writeJson(a.value.body) : a.kind);

describe('XML to JSON by schema (INTERFACES, "JSON made from XML that has a schema")', () => {
  const seq = codec(
    both(
      `<xs:sequence><xs:element name="item" type="xs:string" minOccurs="0" maxOccurs="unbounded"/><xs:element name="n" type="xs:decimal" minOccurs="0"/><xs:element name="big" type="xs:long" minOccurs="0"/><xs:element name="f" type="xs:double" minOccurs="0"/><xs:element name="b" type="xs:boolean" minOccurs="0"/><xs:element name="when" type="xs:dateTime" minOccurs="0" nillable="true"/></xs:sequence>`,
    ),
  );
  const out = (inner: string) =>
    json(seq.read(`<o:Out xmlns:o="${NS}">${inner.replace(/<(\/?)(\w)/g, '<$1o:$2')}</o:Out>`));

  test('a repeated element is always an array: none, one, many', () => {
    expect(out('')).toBe('{"item":[]}');
    expect(out('<item>a</item>')).toBe('{"item":["a"]}');
    expect(out('<item>a</item><item>b</item>')).toBe('{"item":["a","b"]}');
  });

  test('digits are text: nothing is rounded, zeros at the end stay, plus signs and leading zeros go', () => {
    expect(out('<n>0.90</n>')).toBe('{"n":0.90,"item":[]}');
    expect(out('<n>+007.10</n>')).toBe('{"n":7.10,"item":[]}');
    expect(out('<n>.5</n>')).toBe('{"n":0.5,"item":[]}');
    expect(out('<n>123456789012345678901234567890.123456789</n>')).toBe(
      '{"n":123456789012345678901234567890.123456789,"item":[]}',
    );
    expect(out('<big>9007199254740993</big>')).toBe('{"big":9007199254740993,"item":[]}');
    expect(out('<n>-0</n>')).toBe('{"n":-0,"item":[]}');
  });

  test('booleans, INF and NaN, nil, and absence', () => {
    expect(out('<b>1</b>')).toBe('{"b":true,"item":[]}');
    expect(out('<b> false </b>')).toBe('{"b":false,"item":[]}');
    expect(out('<f>INF</f>')).toBe('{"f":"INF","item":[]}');
    expect(out('<when xsi:nil="true"/>')).toBe('{"when":null,"item":[]}');
    expect(out('<when>2026-12-04T05:30:00+01:00</when>')).toBe('{"when":"2026-12-04T05:30:00+01:00","item":[]}');
  });

  test('what the schema does not know is a fault when strict, passed over when lenient', () => {
    expect(seq.read(`<o:Out xmlns:o="${NS}"><o:extra><o:deep/></o:extra></o:Out>`)).toMatchObject({
      faults: [{ kind: 'unknown', words: expect.stringContaining('extra') }],
    });
    expect(seq.read(`<o:Out xmlns:o="${NS}"><o:extra/></o:Out>`, true)).toMatchObject({ faults: [] });
    expect(seq.read(`<o:Out xmlns:o="${NS}"><o:big>12x</o:big></o:Out>`)).toMatchObject({
      faults: [{ pointer: '/big', kind: 'type' }],
    });
    expect(seq.read(`<o:Out xmlns:o="urn:other"/>`)).toMatchObject({ kind: 'unreadable' });
  });

  test('an attribute that clashes with an element gets the suffix, text beside attributes is value', () => {
    const c = codec(
      `<xs:element name="In" type="xs:string"/><xs:element name="Out"><xs:complexType><xs:sequence><xs:element name="id" type="xs:string"/><xs:element name="price"><xs:complexType><xs:simpleContent><xs:extension base="xs:decimal"><xs:attribute name="currency" type="xs:string" use="required"/></xs:extension></xs:simpleContent></xs:complexType></xs:element></xs:sequence><xs:attribute name="id" type="xs:int"/></xs:complexType></xs:element>`,
    );
    expect(json(c.read(`<Out xmlns="${NS}" id="7"><id>x</id><price currency="TAL">412.50</price></Out>`))).toBe(
      '{"idAttribute":7,"id":"x","price":{"currency":"TAL","value":412.50}}',
    );
  });

  test('a wrapper is its list: absent no property, empty an empty list', () => {
    const c = codec(
      both(
        '<xs:sequence><xs:element name="list" minOccurs="0"><xs:complexType><xs:sequence><xs:element name="i" type="xs:int" minOccurs="0" maxOccurs="unbounded"/></xs:sequence></xs:complexType></xs:element></xs:sequence>',
      ),
    );
    expect(json(c.read(`<Out xmlns="${NS}"/>`))).toBe('{}');
    expect(json(c.read(`<Out xmlns="${NS}"><list/></Out>`))).toBe('{"list":[]}');
    expect(json(c.read(`<Out xmlns="${NS}"><list><i>1</i><i>2</i></list></Out>`))).toBe('{"list":[1,2]}');
    expect(bodyOf(c.write({ list: [] }).text)).toContain('<n1:list></n1:list>');
  });

  test('the content of the reply element is never its only child alone', () => {
    const c = codec(
      both('<xs:sequence><xs:element name="r" type="xs:int" maxOccurs="unbounded" minOccurs="0"/></xs:sequence>'),
    );
    expect(json(c.read(`<Out xmlns="${NS}"><r>1</r></Out>`))).toBe('{"r":[1]}');
  });

  test('unqualified local elements stand without a namespace', () => {
    const c = codec(
      both(
        '<xs:sequence><xs:element name="a" type="xs:int"/><xs:element name="b" type="xs:int" form="qualified"/></xs:sequence>',
      ),
      { attributes: '' },
    );
    expect(bodyOf(c.write({ a: 1, b: 2 }).text)).toBe(`<n1:In xmlns:n1="${NS}"><a>1</a><n1:b>2</n1:b></n1:In>`);
  });
});

describe('JSON to XML by schema', () => {
  const source = berths();
  const op = readWsdl(source).operations.find((o) => o.id === 'ReserveBerth')!;
  const judge = xsdJudge(source.files, 'berths.xsd');
  const write = (body: unknown) => writeSoap('1.1', op.soap!.input, { body, soapHeader: { officeCode: 'TH-22' } });
  const good = {
    stay: { until: '2026-12-06T05:30:00+01:00', from: '2026-12-04T05:30:00+01:00' },
    draughtMetres: 6.4,
    vessel: { name: 'Grey Wagtail', callNumber: 'TV-40213' },
    berth: 'N-07',
  };

  test('elements stand in the order of the schema, whatever order the JSON had; libxml2 agrees', () => {
    const { text, faults } = write(good);
    expect(faults).toEqual([]);
    expect(judge(bodyOf(text))).toBeUndefined();
    expect(text).toMatch(/<n1:berth>.*<n1:vessel>.*<n1:draughtMetres>.*<n1:stay>/);
  });

  test.each([
    ['a missing property', { ...good, berth: undefined }, '/body/berth', 'missing'],
    ['an unknown property', { ...good, colour: 'red' }, '/body/colour', 'unknown'],
    ['a wrong type', { ...good, draughtMetres: 'deep' }, '/body/draughtMetres', 'type'],
    ['too many digits after the point', { ...good, draughtMetres: 6.405 }, '/body/draughtMetres', 'type'],
    ['both branches of a choice', { ...good, barge: { plate: 'B-1' } }, '/body/barge', 'choice'],
    ['no branch of a choice', { ...good, vessel: undefined }, '/body', 'choice'],
    ['a fault deep inside', { ...good, stay: { from: 'soon', until: good.stay.until } }, '/body/stay/from', 'type'],
    ['an object where a list should be', { ...good, cargo: { kind: 'pulp' } }, '/body/cargo', 'type'],
    ['null where nothing may be null', { ...good, berth: null }, '/body/berth', 'type'],
    ['a control character', { ...good, remark: 'a\u0001b' }, '/body/remark', 'type'],
  ])('%s is told with its pointer', (_name, body, pointer, kind) => {
    expect(write(body).faults).toEqual(expect.arrayContaining([expect.objectContaining({ pointer, kind })]));
  });

  test('all faults are told at once', () => {
    expect(write({ colour: 1 }).faults.map((f) => f.pointer)).toEqual([
      '/body/colour',
      '/body/berth',
      '/body',
      '/body/draughtMetres',
      '/body/stay',
    ]);
  });

  test('markup in text is escaped and comes back', () => {
    const { text } = write({ ...good, remark: '<b>&amp; "quoted"\r\n' });
    expect(judge(bodyOf(text))).toBeUndefined();
    expect(text).toContain('&lt;b&gt;&amp;amp; "quoted"&#13;');
  });

  const digits = fc
    .tuple(fc.integer({ min: 1, max: 99 }), fc.integer({ min: 0, max: 99 }))
    .map(([a, b]) => readJson(`${a}.${String(b).padStart(2, '0')}`));
  const token = fc.stringMatching(/^[a-z]{1,8}( [a-z]{1,8})?$/);
  const moment = fc
    .date({ min: new Date('2026-01-01'), max: new Date('2030-01-01'), noInvalidDate: true })
    .map((d) => d.toISOString());
  const vessel = fc.record(
    {
      callNumber: fc.integer({ min: 0, max: 99999 }).map((n) => `TV-${String(n).padStart(5, '0')}`),
      name: fc.string({ maxLength: 20 }).filter((s) => [...s].every((c) => c >= ' ' && c < '\ud800')),
    },
    { requiredKeys: ['callNumber'] },
  );
  const body = fc
    .record(
      {
        berth: fc.constantFrom('N-07', 'S-02'),
        draughtMetres: digits,
        stay: fc.record({ from: moment, until: moment }),
        cargo: fc.array(fc.record({ kind: token, tonnes: digits }, { requiredKeys: ['kind'] }), { maxLength: 4 }),
        remark: token,
      },
      { requiredKeys: ['berth', 'draughtMetres', 'stay'] },
    )
    .chain((b) =>
      fc.oneof(
        vessel.map((v) => ({ ...b, vessel: v })),
        token.map((plate) => ({ ...b, barge: { plate } })),
      ),
    );

  test('property: what is written validates with libxml2 and reads back as the same JSON', () => {
    fc.assert(
      fc.property(body, (value) => {
        const { text, faults } = write(value);
        expect(faults).toEqual([]);
        expect(judge(bodyOf(text))).toBeUndefined();
        const back = readSoap(text, { message: op.soap!.input, faults: [] });
        const want = JSON.parse(writeJson(value)) as object;
        expect(back).toMatchObject({ kind: 'reply', faults: [], value: { soapHeader: { officeCode: 'TH-22' } } });
        expect(JSON.parse(writeJson((back as { value: { body: unknown } }).value.body))).toEqual(want);
      }),
      { seed: 40213, numRuns: 150 },
    );
  });

  test('samples made from the types are valid for every operation', () => {
    for (const o of readWsdl(source).operations) {
      const sample = sampleOf(o.request.body, readWsdl(source).types);
      const { text, faults } = writeSoap('1.1', o.soap!.input, { body: sample, soapHeader: { officeCode: 'TH-00' } });
      expect({ id: o.id, faults, judged: judge(bodyOf(text)) }).toEqual({ id: o.id, faults: [], judged: undefined });
    }
  });
});

describe('repeated groups', () => {
  test('a repeated sequence takes one item of each list a round; a repeated choice takes all', () => {
    const c = codec(
      both(
        '<xs:sequence maxOccurs="unbounded"><xs:element name="k" type="xs:string"/><xs:element name="v" type="xs:int"/></xs:sequence>',
      ),
    );
    expect(bodyOf(c.write({ k: ['a', 'b'], v: [1, 2] }).text)).toBe(
      `<n1:In xmlns:n1="${NS}"><n1:k>a</n1:k><n1:v>1</n1:v><n1:k>b</n1:k><n1:v>2</n1:v></n1:In>`,
    );
    expect(c.write({ k: ['a', 'b'], v: [1] }).faults).not.toEqual([]);
    const d = codec(
      both(
        '<xs:choice minOccurs="0" maxOccurs="unbounded"><xs:element name="k" type="xs:string"/><xs:element name="v" type="xs:int"/></xs:choice>',
      ),
    );
    expect(d.write({ k: ['a'], v: [1, 2] }).faults).toEqual([]);
  });
});

describe('SOAP faults and envelopes', () => {
  const op = readWsdl(berths()).operations.find((o) => o.id === 'ReserveBerth')!.soap!;
  const expectReply = { message: op.output!, faults: op.faults };
  const detail =
    '<b:BerthTaken xmlns:b="urn:tarnhaven:berths:2"><b:berth>N-07</b:berth><b:takenBy>R-1</b:takenBy><b:freeFrom>2026-12-04T05:30:00Z</b:freeFrom></b:BerthTaken>';

  test('SOAP 1.1 (§4.4): code, reason, typed detail by the declared fault', () => {
    const a = readSoap(
      `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><e:Fault><faultcode>e:Client</faultcode><faultstring>taken</faultstring><detail>${detail}</detail></e:Fault></e:Body></e:Envelope>`,
      expectReply,
    );
    expect(a).toEqual({
      kind: 'fault',
      fault: {
        code: 'Client',
        reason: 'taken',
        name: 'BerthTaken',
        sender: true,
        detail: { berth: 'N-07', takenBy: 'R-1', freeFrom: '2026-12-04T05:30:00Z' },
      },
    });
  });

  test('SOAP 1.2 (Part 1 §5.4): code with subcode, text, detail', () => {
    const a = readSoap(
      `<e:Envelope xmlns:e="http://www.w3.org/2003/05/soap-envelope"><e:Body><e:Fault><e:Code><e:Value>e:Receiver</e:Value><e:Subcode><e:Value>x:Full</e:Value></e:Subcode></e:Code><e:Reason><e:Text xml:lang="en">broken</e:Text></e:Reason><e:Detail>${detail}</e:Detail></e:Fault></e:Body></e:Envelope>`,
      expectReply,
    );
    expect(a).toMatchObject({
      kind: 'fault',
      fault: { code: 'Receiver/Full', reason: 'broken', sender: false, name: 'BerthTaken' },
    });
  });

  test.each([
    ['HTML', '<html><body>oops</body></html>', 'not a SOAP envelope'],
    ['cut off', '<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><b:Res', 'not well-formed'],
    ['a DTD', '<!DOCTYPE x><e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"/>', 'DTD'],
    ['no body', '<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"/>', 'no body'],
    [
      'an empty body',
      '<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body/></e:Envelope>',
      'empty',
    ],
    [
      'nesting without end',
      `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><b:ReserveBerthResponse xmlns:b="urn:tarnhaven:berths:2">${'<a>'.repeat(5000)}`,
      'nested deeper',
    ],
    ['nothing', '', ''],
  ])('%s is unreadable', (_name, text, words) => {
    expect(readSoap(text, expectReply)).toEqual({ kind: 'unreadable', words: expect.stringContaining(words) });
  });
});
