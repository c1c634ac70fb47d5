import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { ValidatorSet, readJson, readSoap, readWsdl, sampleOf, writeJson, writeSoap } from '../src';
import { bodyOf, canonical, wsdlAround, xsdJudge } from './files';
import { complex, valueOf, xsd } from './random-schema';

const RUNS = 250;

/** Sorted members, so that only what is said counts. */
const plain = (value: unknown): unknown => JSON.parse(writeJson(value), (_k, v: unknown) => v);

test(`schemas at random: JSON to XML is valid for libxml2, comes back as the same JSON, digit by digit, and is what its own schema allows, seed 40213`, () => {
  let values = 0;
  fc.assert(
    fc.property(
      complex(3).chain((t) => fc.tuple(fc.constant(t), fc.array(valueOf(t), { minLength: 1, maxLength: 4 }))),
      ([t, samples]) => {
        const named: string[] = [];
        const type = xsd(t, named);
        const schema = `${named.join('')}<xs:element name="In">${type}</xs:element><xs:element name="Out" type="xs:string"/>`;
        const source = wsdlAround(schema);
        const contract = readWsdl(source);
        const [op] = contract.operations;
        const judge = xsdJudge({ 's.xsd': schemaOf(source.files['test.wsdl']!) }, 's.xsd');
        for (const value of samples) {
          values++;
          const wanted = writeJson(value);
          const { text, faults } = writeSoap('1.1', op!.soap!.input, { body: value });
          expect({ wanted, faults }).toEqual({ wanted, faults: [] });
          expect({ wanted, judged: judge(bodyOf(text)) }).toEqual({ wanted, judged: undefined });
          const back = readSoap(text, { message: op!.soap!.input, faults: [] });
          expect({ wanted, kind: back.kind, faults: back.kind === 'reply' ? back.faults : [] }).toEqual({
            wanted,
            kind: 'reply',
            faults: [],
          });
          const body = (back as { value: { body: unknown } }).value.body;
          expect(exact(writeJson(body))).toEqual(exact(wanted));
          expect(plain(body)).toEqual(plain(value));
          expect({ wanted, told: new ValidatorSet(contract.types).check(op!.request.body, body) }).toEqual({
            wanted,
            told: [],
          });
          // XML to JSON to XML, from a text that another program might have written.
          const foreign = otherwise(text);
          const again = readSoap(foreign, { message: op!.soap!.input, faults: [] });
          const rewritten = writeSoap(
            '1.1',
            op!.soap!.input,
            (again as { value: { body: unknown } }).value as { body: unknown },
          );
          expect(canonical(bodyOf(rewritten.text))).toBe(canonical(bodyOf(text)));
        }
      },
    ),
    { seed: 40213, numRuns: RUNS },
  );
  expect(values).toBeGreaterThan(RUNS);
});

test('samples of schemas at random are valid for libxml2, with all that is optional and without, seed 40213', () => {
  fc.assert(
    fc.property(complex(3), (t) => {
      const named: string[] = [];
      const type = xsd(t, named);
      const source = wsdlAround(
        `${named.join('')}<xs:element name="In">${type}</xs:element><xs:element name="Out" type="xs:string"/>`,
      );
      const contract = readWsdl(source);
      const [op] = contract.operations;
      const judge = xsdJudge({ 's.xsd': schemaOf(source.files['test.wsdl']!) }, 's.xsd');
      for (const optional of [true, false]) {
        const body = sampleOf(op!.request.body, contract.types, { optional });
        const { text, faults } = writeSoap('1.1', op!.soap!.input, { body: body as Record<string, unknown> });
        expect({ body: writeJson(body), faults }).toEqual({ body: writeJson(body), faults: [] });
        expect({ type, judged: judge(bodyOf(text)) }).toEqual({ type, judged: undefined });
      }
    }),
    { seed: 40213, numRuns: RUNS },
  );
});

/** Numbers as they are written, members in order of their names. */
function exact(text: string): unknown {
  return JSON.parse(text.replace(/"(?:[^"\\]|\\.)*"|-?\d[\d.eE+-]*/g, (m) => (m.startsWith('"') ? m : `"#${m}"`)));
}

function schemaOf(wsdl: string): string {
  const inner = /<xs:schema[\s\S]*<\/xs:schema>/.exec(wsdl)![0];
  return inner.replace('<xs:schema ', '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" ');
}

/** The same infoset, written another way: a declaration, comments between elements, empty elements with two tags. */
function otherwise(text: string): string {
  return text
    .replace(/<([^\s/>!?]+)([^<>]*)\/>/g, '<$1$2></$1>')
    .replace(/(<s:Body>)/, '$1<!-- as another program writes it -->\n  ')
    .replace(/^(?!<\?)/, '<?xml version="1.0"?>\n');
}

test('numbers are told apart as they are written', () => {
  expect(exact('{"a":1.50,"b":["x1",2]}')).toEqual({ a: '#1.50', b: ['x1', '#2'] });
  expect(exact(writeJson(readJson('[0.90]')))).toEqual(['#0.90']);
});
