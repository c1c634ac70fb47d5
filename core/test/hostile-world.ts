import { readContract, readJson, readPlainDocument, readWsdl, ValidatorSet } from '../src';
import { wsdlAround } from './files';

interface Hostile {
  readonly name: string;
  readonly run: () => unknown;
  readonly words: RegExp;
}

const wsdl = (schema: string) => () => readWsdl(wsdlAround(schema));

export const mediaHostile: readonly Hostile[] = [
  {
    name: 'an entity bomb',
    run: () =>
      readPlainDocument(
        '<!DOCTYPE a [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;">]><a>&b;</a>',
      ),
    words: /document type/,
  },
  {
    name: 'an external entity',
    run: () => readPlainDocument('<!DOCTYPE a SYSTEM "file:///etc/passwd"><a/>'),
    words: /document type/,
  },
  { name: 'XML 100,000 deep', run: () => readPlainDocument('<a>'.repeat(100_000)), words: /deeper than 512/ },
  { name: 'JSON 100,000 deep', run: () => readJson('['.repeat(100_000)), words: /deeper than 512/ },
  {
    name: 'a million attributes',
    run: () => readPlainDocument(`<a ${Array.from({ length: 1_000_000 }, (_, i) => `b${i}=""`).join(' ')}/>`),
    words: /more than 1024 attributes/,
  },
  { name: 'an attribute twice', run: () => readPlainDocument('<a b="1" b="2"/>'), words: /stands twice/ },
  { name: 'a reference to no character', run: () => readPlainDocument('<a>&#xFFFF;</a>'), words: /no character/ },
  {
    name: 'a reference as long as the text',
    run: () => readPlainDocument(`<a>&${'x'.repeat(5_000_000)};</a>`),
    words: /begins no reference/,
  },
  {
    name: 'a million open brackets',
    run: () => readPlainDocument('<'.repeat(1_000_000)),
    words: /a name must stand here/,
  },
  { name: 'a truncated document', run: () => readPlainDocument('<a><b>text'), words: /ends inside b/ },
  {
    name: 'a type that is derived from itself',
    run: wsdl(
      '<xs:complexType name="A"><xs:complexContent><xs:extension base="A"/></xs:complexContent></xs:complexType><xs:element name="In" type="A"/><xs:element name="Out" type="A"/>',
    ),
    words: /derived from itself/,
  },
  {
    name: 'a group that holds itself',
    run: wsdl(
      '<xs:group name="G"><xs:sequence><xs:group ref="G"/></xs:sequence></xs:group><xs:element name="In"><xs:complexType><xs:group ref="G"/></xs:complexType></xs:element><xs:element name="Out" type="xs:string"/>',
    ),
    words: /holds itself/,
  },
  {
    name: 'an OpenAPI document of nested schemas without end',
    run: () =>
      readContract({
        entry: 'a.json',
        files: {
          'a.json': `{"openapi":"3.1.0","info":{"title":"t","version":"1"},"paths":{"/a":{"get":{"responses":{"200":{"description":"d","content":{"application/json":{"schema":${'{"items":'.repeat(400)}{}${'}'.repeat(400)}}}}}}}}}`,
        },
      }),
    words: /nested deeper/,
  },
  {
    name: 'YAML aliases that grow without end',
    run: () =>
      readContract({
        entry: 'a.yaml',
        files: {
          'a.yaml': `openapi: 3.1.0\na: &a [1,1,1,1,1,1,1,1,1,1]\n${'bcdefgh'
            .split('')
            .map((c, i) => `${c}: &${c} [${Array(10).fill(`*${'abcdefgh'[i]}`).join(',')}]`)
            .join('\n')}\npaths: {}\n`,
        },
      }),
    words: /alias/i,
  },
  {
    name: 'a contract of more than 16 MiB',
    run: () => readContract({ entry: 'a.wsdl', files: { 'a.wsdl': `<a>${' '.repeat(17_000_000)}</a>` } }),
    words: /at most 16777216/,
  },
  {
    name: 'a pattern that would take for ever is left to the backend',
    run: () => {
      const c = readWsdl(
        wsdlAround(
          '<xs:simpleType name="P"><xs:restriction base="xs:string"><xs:pattern value="(a+)+b"/></xs:restriction></xs:simpleType><xs:element name="In"><xs:complexType><xs:sequence><xs:element name="p" type="P"/></xs:sequence></xs:complexType></xs:element><xs:element name="Out" type="xs:string"/>',
        ),
      );
      const faults = new ValidatorSet(c.types).check(c.operations[0]!.request.body, { p: 'a'.repeat(100_000), q: 1 });
      throw new Error(faults.map((f) => f.detail).join());
    },
    words: /q is not known here/,
  },
];
