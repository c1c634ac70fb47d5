import { describe, expect, test } from '@jest/globals';
import { Ajv2020 } from 'ajv/dist/2020.js';
import {
  exportOpenApi,
  draftRest,
  readJson,
  readSoap,
  readWsdl,
  sampleOf,
  writeJson,
  writeSoap,
  writeWsdl,
  type SoapAnswer,
} from '../src';
import { bodyOf, wsdlAround, xsdJudge } from './files';

/**
 * What makes one element stand for many: xsi:type, substitution groups, abstract types (XML Schema Part 1 §2.6.1, §3.3.6, §3.4), and what a
 * schema leaves open: wildcards (§3.10), mixed content, xs:anyType. libxml2 judges everything that is written.
 */
const NS = 'urn:test';

function codec(schema: string, attributes = 'elementFormDefault="qualified"') {
  const files = wsdlAround(schema, { attributes });
  const contract = readWsdl(files);
  const op = contract.operations[0]!.soap!;
  const judge = xsdJudge(
    {
      's.xsd': `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="${NS}" xmlns="${NS}" xmlns:t="${NS}" ${attributes}>${schema}</xs:schema>`,
    },
    's.xsd',
  );
  const read = (inner: string, lenient = false): SoapAnswer =>
    readSoap(
      `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="${NS}"><s:Body>${inner}</s:Body></s:Envelope>`,
      { message: op.output!, faults: op.faults },
      lenient,
    );
  return {
    contract,
    judge,
    read,
    json: (inner: string) => {
      const a = read(inner);
      return a.kind === 'reply' ? writeJson(a.value.body) : JSON.stringify(a);
    },
    faults: (inner: string) => {
      const a = read(inner);
      return a.kind === 'reply' ? a.faults.map((f) => `${f.kind} ${f.pointer}`) : [a.kind];
    },
    /** XML of a value, judged; or the faults. */
    write: (body: unknown) => {
      const w = writeSoap('1.1', op.input, { body });
      if (w.faults.length) return w.faults.map((f) => `${f.kind} ${f.pointer} ${f.words}`).join('; ');
      const xml = bodyOf(w.text);
      return judge(xml) ?? xml;
    },
  };
}

const both = (type: string) =>
  `<xs:element name="In"><xs:complexType>${type}</xs:complexType></xs:element><xs:element name="Out"><xs:complexType>${type}</xs:complexType></xs:element>`;

/** The schema of the reply as ajv reads it, the gateway's types beside it. */
function ajvFor(c: ReturnType<typeof codec>) {
  const ajv = new Ajv2020({ strict: false, validateFormats: false });
  const text = JSON.stringify({ ...c.contract.operations[0]!.reply!.body, types: c.contract.types });
  const validate = ajv.compile(JSON.parse(text) as object);
  return (json: string) => (validate(JSON.parse(json)) ? 'valid' : JSON.stringify(validate.errors));
}

describe('xsi:type', () => {
  const c = codec(
    `<xs:complexType name="Craft" abstract="true"><xs:sequence><xs:element name="name" type="xs:string"/></xs:sequence></xs:complexType>
     <xs:complexType name="Ship"><xs:complexContent><xs:extension base="Craft"><xs:sequence><xs:element name="imo" type="xs:int"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType>
     <xs:complexType name="Tanker"><xs:complexContent><xs:extension base="Ship"><xs:sequence><xs:element name="tonnes" type="xs:decimal"/></xs:sequence><xs:attribute name="double" type="xs:boolean"/></xs:extension></xs:complexContent></xs:complexType>
     ${both('<xs:sequence><xs:element name="craft" type="Craft" maxOccurs="unbounded"/><xs:element name="own" type="Ship" minOccurs="0"/></xs:sequence>')}`,
  );

  test('is read as $type, at any depth of derivation; without it the declared type is meant', () => {
    expect(
      c.json(
        '<t:Out><t:craft xsi:type="t:Ship"><t:name>Alca</t:name><t:imo>7</t:imo></t:craft><t:craft xsi:type="t:Tanker" double="1"><t:name>B</t:name><t:imo>8</t:imo><t:tonnes>1.50</t:tonnes></t:craft><t:own><t:name>C</t:name><t:imo>9</t:imo></t:own></t:Out>',
      ),
    ).toBe(
      '{"craft":[{"$type":"Ship","name":"Alca","imo":7},{"$type":"Tanker","double":true,"name":"B","imo":8,"tonnes":1.50}],"own":{"name":"C","imo":9}}',
    );
  });

  test('an abstract type must be told, and only a derived one may be', () => {
    expect(c.faults('<t:Out><t:craft><t:name>A</t:name></t:craft></t:Out>')).toEqual(['type /craft/0']);
    expect(c.faults('<t:Out><t:craft xsi:type="t:Other"><t:name>A</t:name></t:craft></t:Out>')[0]).toBe(
      'type /craft/0',
    );
    expect(c.faults('<t:Out><t:craft xsi:type="u:Ship"><t:name>A</t:name></t:craft></t:Out>')[0]).toBe('type /craft/0');
  });

  test('is written from $type, in the order of base and extension, whatever order the JSON has', () => {
    expect(c.write({ craft: [{ tonnes: 2, imo: 8, $type: 'Tanker', name: 'B', double: true }] })).toBe(
      `<n1:In xmlns:n1="urn:test" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><n1:craft xsi:type="n1:Tanker" double="true"><n1:name>B</n1:name><n1:imo>8</n1:imo><n1:tonnes>2</n1:tonnes></n1:craft></n1:In>`,
    );
    expect(c.write({ craft: [{ name: 'B' }] })).toContain('missing /body/craft/0/$type');
    expect(c.write({ craft: [{ $type: 'Barge', name: 'B' }] })).toContain(
      'type /body/craft/0/$type "Barge" is none of Ship, Tanker',
    );
    expect(c.write({ craft: [{ $type: 'Ship', name: 'B', imo: 1, tonnes: 2 }] })).toContain(
      'unknown /body/craft/0/tonnes',
    );
    expect(
      c.write({ craft: [{ $type: 'Ship', name: 'B', imo: 1 }], own: { $type: 'Ship', name: 'C', imo: 2 } }),
    ).toMatch(/^<n1:In/);
  });

  test('its JSON schema tells the forms apart: what is read is valid, what is not is not', () => {
    const valid = ajvFor(c);
    expect(valid('{"craft":[{"$type":"Ship","name":"A","imo":7}],"own":{"name":"C","imo":9}}')).toBe('valid');
    expect(valid('{"craft":[{"$type":"Ship","name":"A","imo":7,"tonnes":1}]}')).not.toBe('valid');
    expect(valid('{"craft":[{"name":"A"}]}')).not.toBe('valid');
    const sample = sampleOf(c.contract.operations[0]!.request.body, c.contract.types);
    expect(c.write(sample)).toMatch(/^<n1:In/);
  });

  test('the exported OpenAPI maps every $type to a schema that is there', () => {
    const files = wsdlAround(
      `<xs:complexType name="A"><xs:sequence/></xs:complexType><xs:complexType name="B"><xs:complexContent><xs:extension base="A"/></xs:complexContent></xs:complexType>${both('<xs:sequence><xs:element name="a" type="A"/></xs:sequence>')}`,
    );
    const api = exportOpenApi(draftRest(readWsdl(files), files)) as {
      components: {
        schemas: Record<string, { discriminator?: { propertyName: string; mapping: Record<string, string> } }>;
      };
    };
    const union = Object.values(api.components.schemas).find((s) => s.discriminator)!.discriminator!;
    expect(union.propertyName).toBe('$type');
    for (const ref of Object.values(union.mapping))
      expect(api.components.schemas[ref.replace('#/components/schemas/', '')]).toBeDefined();
  });
});

describe('substitution groups', () => {
  const c = codec(
    `<xs:complexType name="Notice"><xs:sequence><xs:element name="text" type="xs:string"/></xs:sequence></xs:complexType>
     <xs:complexType name="StormNotice"><xs:complexContent><xs:extension base="Notice"><xs:sequence><xs:element name="beaufort" type="xs:int"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType>
     <xs:element name="notice" type="Notice" abstract="true"/><xs:element name="storm" type="StormNotice" substitutionGroup="notice"/><xs:element name="fog" type="Notice" substitutionGroup="notice"/>
     <xs:element name="mark" type="xs:string"/><xs:element name="number" type="xs:int" substitutionGroup="mark"/>
     ${both('<xs:sequence><xs:element ref="notice" minOccurs="0" maxOccurs="unbounded"/><xs:element ref="mark" minOccurs="0"/></xs:sequence>')}`.replace(
      'name="number" type="xs:int"',
      'name="number" type="Short"',
    ) +
      '<xs:simpleType name="Short"><xs:restriction base="xs:string"><xs:maxLength value="5"/></xs:restriction></xs:simpleType>',
  );

  test('a member stands under the name of the head, told by $type', () => {
    expect(
      c.json(
        '<t:Out><t:storm><t:text>x</t:text><t:beaufort>9</t:beaufort></t:storm><t:fog><t:text>y</t:text></t:fog><t:number>12</t:number></t:Out>',
      ),
    ).toBe(
      '{"notice":[{"$type":"storm","text":"x","beaufort":9},{"$type":"fog","text":"y"}],"mark":{"$type":"number","value":"12"}}',
    );
    expect(c.json('<t:Out><t:mark>m</t:mark></t:Out>')).toBe('{"mark":"m","notice":[]}');
    expect(c.faults('<t:Out><t:notice><t:text>y</t:text></t:notice></t:Out>')).toEqual(['unknown ']);
  });

  test('is written back under its own name', () => {
    expect(
      c.write({ notice: [{ $type: 'storm', text: 'x', beaufort: 9 }], mark: { $type: 'number', value: '12' } }),
    ).toBe(
      '<n1:In xmlns:n1="urn:test"><n1:storm><n1:text>x</n1:text><n1:beaufort>9</n1:beaufort></n1:storm><n1:number>12</n1:number></n1:In>',
    );
    expect(c.write({ notice: [{ text: 'x' }] })).toContain('$type must be one of');
  });

  test('a derived type of a member is told beside the member', () => {
    expect(
      c.json('<t:Out><t:fog xsi:type="t:StormNotice"><t:text>y</t:text><t:beaufort>3</t:beaufort></t:fog></t:Out>'),
    ).toBe('{"notice":[{"$type":"fog/StormNotice","text":"y","beaufort":3}]}');
    expect(c.write({ notice: [{ $type: 'fog/StormNotice', text: 'y', beaufort: 3 }] })).toContain(
      '<n1:fog xsi:type="n1:StormNotice">',
    );
  });

  test('its schema accepts what is read', () => {
    const valid = ajvFor(c);
    expect(
      valid(
        '{"notice":[{"$type":"storm","text":"x","beaufort":9},{"$type":"fog/StormNotice","text":"y","beaufort":3}],"mark":{"$type":"number","value":"12"}}',
      ),
    ).toBe('valid');
    expect(valid('{"notice":[{"$type":"squall","text":"x"}]}')).not.toBe('valid');
  });
});

describe('what a schema leaves open', () => {
  test('elements of a wildcard travel whole in $any, with the namespaces they need', () => {
    const c = codec(
      both(
        '<xs:sequence><xs:element name="a" type="xs:int"/><xs:any namespace="##other" processContents="lax" minOccurs="0" maxOccurs="unbounded"/></xs:sequence>',
      ),
    );
    const json = c.json(
      '<t:Out xmlns:x="urn:x"><t:a>1</t:a><x:one k="v">text<!-- c --></x:one><x:two xmlns:y="urn:y"><y:z>1</y:z><y:z>2</y:z></x:two></t:Out>',
    );
    expect(json).toBe(
      '{"a":1,"$any":[{"x:one":{"@xmlns:x":"urn:x","@k":"v","#text":"text"}},{"x:two":{"@xmlns:x":"urn:x","@xmlns:y":"urn:y","y:z":["1","2"]}}]}',
    );
    expect(c.write(readJson(json))).toBe(
      '<n1:In xmlns:n1="urn:test"><n1:a>1</n1:a><x:one xmlns:x="urn:x" k="v">text</x:one><x:two xmlns:x="urn:x" xmlns:y="urn:y"><y:z>1</y:z><y:z>2</y:z></x:two></n1:In>',
    );
    expect(ajvFor(c)(json)).toBe('valid');
    expect(c.faults('<t:Out><t:a>1</t:a><t:b/></t:Out>')).toEqual(['unknown ']);
    expect(c.write({ a: 1, $any: [{ 'no name': 1 }] })).toContain('/$any/0');
    expect(c.write({ a: 1, $any: 'x' })).toContain('type /body/$any');
  });

  test('open attributes stand in $attributes, by name or {namespace}name', () => {
    const c = codec(
      both('<xs:sequence/><xs:attribute name="own" type="xs:int"/><xs:anyAttribute processContents="lax"/>'),
    );
    const json = c.json('<t:Out own="1" xmlns:x="urn:x" x:k="v"/>');
    expect(json).toBe('{"own":1,"$attributes":{"{urn:x}k":"v"}}');
    expect(c.write(readJson(json))).toBe('<n1:In xmlns:n1="urn:test" xmlns:n2="urn:x" own="1" n2:k="v"/>');
    expect(c.write({ $attributes: { 'a b': '1' } })).toContain('type /body/$attributes/a b');
  });

  test('mixed content keeps text and elements in their order', () => {
    const c = codec(
      both(
        '<xs:choice minOccurs="0" maxOccurs="unbounded"><xs:element name="b" type="xs:string"/><xs:element name="n" type="xs:int"/></xs:choice>',
      ).replaceAll('<xs:complexType>', '<xs:complexType mixed="true">'),
    );
    const json = c.json('<t:Out>All <t:b>well</t:b>, <t:n>3</t:n> left.</t:Out>');
    expect(json).toBe('{"$mixed":["All ",{"b":"well"},", ",{"n":3}," left."]}');
    expect(c.write(readJson(json))).toBe(
      '<n1:In xmlns:n1="urn:test">All <n1:b>well</n1:b>, <n1:n>3</n1:n> left.</n1:In>',
    );
    expect(ajvFor(c)(json)).toBe('valid');
    expect(c.faults('<t:Out>All <t:n>x</t:n></t:Out>')).toEqual(['type /$mixed/1/n']);
    expect(c.write({ $mixed: [{ b: 'x', n: 1 }] })).toContain('/$mixed/0');
    expect(c.write({ $mixed: [{ z: 'x' }] })).toContain('unknown /body/$mixed/0/z');
  });

  test('xs:anyType holds any content; xsi:type there gives a typed value', () => {
    const c = codec(
      both('<xs:sequence><xs:element name="v" maxOccurs="unbounded"/></xs:sequence>') +
        '<xs:complexType name="P"><xs:sequence><xs:element name="x" type="xs:int"/></xs:sequence></xs:complexType>',
    );
    const json = c.json(
      '<t:Out><t:v>text</t:v><t:v><a b="1">2</a></t:v><t:v xsi:type="xs:int">5</t:v><t:v xsi:type="t:P"><t:x>6</t:x></t:v></t:Out>',
    );
    expect(json).toBe('{"v":["text",{"a":{"@b":"1","#text":"2"}},{"$type":"int","value":5},{"$type":"P","x":6}]}');
    expect(c.write(readJson(json))).toBe(
      '<n1:In xmlns:n1="urn:test" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance" xmlns:xs="http://www.w3.org/2001/XMLSchema"><n1:v>text</n1:v><n1:v><a b="1">2</a></n1:v><n1:v xsi:type="xs:int">5</n1:v><n1:v xsi:type="n1:P"><n1:x>6</n1:x></n1:v></n1:In>',
    );
  });
});

describe('order of a reply (Part 1 §3.8.4)', () => {
  const c = codec(
    both(
      '<xs:sequence><xs:element name="a" type="xs:int"/><xs:choice><xs:element name="b" type="xs:int"/><xs:sequence><xs:element name="c" type="xs:int"/><xs:element name="d" type="xs:int"/></xs:sequence></xs:choice><xs:element name="e" type="xs:int" minOccurs="0" maxOccurs="unbounded"/></xs:sequence>',
    ),
  );
  const out = (names: string) => c.faults(`<t:Out>${[...names].map((n) => `<t:${n}>1</t:${n}>`).join('')}</t:Out>`);

  test.each(['ab', 'acd', 'abe', 'acdee'])('%s is allowed', (names) => {
    expect(out(names)).toEqual([]);
    expect(
      c.judge(`<t:Out xmlns:t="${NS}">${[...names].map((n) => `<t:${n}>1</t:${n}>`).join('')}</t:Out>`),
    ).toBeUndefined();
  });

  test.each([
    ['ba', ['order /b']],
    ['abc', ['order /c']],
    ['ac', ['choice ']],
    ['aeb', ['order /e']],
    ['a', ['choice ']],
    ['adc', ['order /d']],
  ])('%s is refused, as libxml2 refuses it', (names, want) => {
    expect(out(names)).toEqual(want);
    expect(
      c.judge(`<t:Out xmlns:t="${NS}">${[...names].map((n) => `<t:${n}>1</t:${n}>`).join('')}</t:Out>`),
    ).toBeDefined();
  });

  test('in a plain sequence too; a lenient reader passes over it', () => {
    const flat = codec(
      both(
        '<xs:sequence><xs:element name="a" type="xs:int"/><xs:element name="b" type="xs:int" maxOccurs="3"/></xs:sequence>',
      ),
    );
    expect(flat.faults('<t:Out><t:b>1</t:b><t:a>1</t:a></t:Out>')).toEqual(['order /a']);
    expect(flat.faults('<t:Out><t:a>1</t:a><t:b>1</t:b><t:b>1</t:b></t:Out>')).toEqual([]);
    expect(flat.read('<t:Out><t:b>1</t:b><t:a>1</t:a></t:Out>', true)).toMatchObject({ faults: [] });
  });
});

test('xs:redefine: the new type extends the one it takes the place of (Part 1 §4.2.2)', () => {
  const around = wsdlAround(
    `<xs:redefine schemaLocation="base.xsd"><xs:complexType name="P"><xs:complexContent><xs:extension base="P"><xs:sequence><xs:element name="y" type="xs:int"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType></xs:redefine>${both('<xs:sequence><xs:element name="p" type="P"/></xs:sequence>')}`,
  );
  const files = {
    ...around.files,
    'base.xsd': `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="${NS}" elementFormDefault="qualified"><xs:complexType name="P"><xs:sequence><xs:element name="x" type="xs:int"/></xs:sequence></xs:complexType></xs:schema>`,
  };
  const contract = readWsdl({ entry: around.entry, files });
  expect(Object.keys(contract.types.P!.properties!)).toEqual(['x', 'y']);
});

test('what is redefined can be written into one document, which says the same', () => {
  const around = wsdlAround(
    `<xs:redefine schemaLocation="base.xsd">
       <xs:complexType name="P"><xs:complexContent><xs:extension base="t:P"><xs:sequence><xs:element name="y" type="t:Code"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType>
       <xs:simpleType name="Code"><xs:restriction base="t:Code"><xs:maxLength value="3"/></xs:restriction></xs:simpleType>
       <xs:group name="G"><xs:sequence><xs:group ref="t:G"/><xs:element name="more" type="xs:int"/></xs:sequence></xs:group>
       <xs:attributeGroup name="A"><xs:attributeGroup ref="t:A"/><xs:attribute name="two" type="xs:int"/></xs:attributeGroup>
     </xs:redefine>${both('<xs:sequence><xs:element name="p" type="t:P"/><xs:group ref="t:G"/></xs:sequence><xs:attributeGroup ref="t:A"/>')}`,
    { attributes: `elementFormDefault="qualified" xmlns:t="${NS}"` },
  );
  const files = {
    ...around.files,
    'base.xsd': `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns="${NS}" targetNamespace="${NS}" elementFormDefault="qualified">
      <xs:complexType name="P"><xs:sequence><xs:element name="x" type="Code"/><xs:element name="again" type="P" minOccurs="0"/></xs:sequence></xs:complexType>
      <xs:complexType name="P.before"><xs:sequence/></xs:complexType>
      <xs:simpleType name="Code"><xs:restriction base="xs:string"><xs:minLength value="2"/></xs:restriction></xs:simpleType>
      <xs:group name="G"><xs:sequence><xs:element name="g" type="xs:int"/></xs:sequence></xs:group>
      <xs:attributeGroup name="A"><xs:attribute name="one" type="xs:int"/></xs:attributeGroup></xs:schema>`,
  };
  const contract = readWsdl({ entry: around.entry, files });
  const text = writeWsdl({ entry: around.entry, files }, { address: 'http://127.0.0.1:1/door' });
  const again = readWsdl({ entry: 'a.wsdl', files: { 'a.wsdl': text } });
  const shown = (c: typeof contract) => c.operations[0]!.reply!.body;
  expect(shown(again)).toEqual(shown(contract));
  expect(again.types.P).toEqual(contract.types.P);
  expect(Object.keys(again.types.P!.properties!)).toEqual(['x', 'again', 'y']);
  const schema = /<xs:schema [^]*<\/xs:schema>/
    .exec(text)![0]
    .replace('<xs:schema ', '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" ');
  const judge = xsdJudge({ 's.xsd': schema }, 's.xsd');
  const out = (y: string) =>
    `<t:Out xmlns:t="${NS}" one="1" two="2"><t:p><t:x>ab</t:x><t:y>${y}</t:y></t:p><t:g>1</t:g><t:more>2</t:more></t:Out>`;
  expect(judge(out('abc'))).toBeUndefined();
  expect(judge(out('abcd'))).toContain('maxLength');
});

test('an empty element with a default means it; an absent one stays absent (Part 1 §3.3.4)', () => {
  const c = codec(
    both(
      '<xs:sequence><xs:element name="n" type="xs:int" default="5" minOccurs="0"/><xs:element name="f" type="xs:string" fixed="x" minOccurs="0"/></xs:sequence>',
    ),
  );
  expect(c.json('<t:Out><t:n/><t:f/></t:Out>')).toBe('{"n":5,"f":"x"}');
  expect(c.json('<t:Out><t:n>7</t:n></t:Out>')).toBe('{"n":7}');
  expect(c.json('<t:Out/>')).toBe('{}');
  expect(c.judge(`<t:Out xmlns:t="${NS}"><t:n/><t:f/></t:Out>`)).toBeUndefined();
});
