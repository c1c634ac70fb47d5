import { describe, expect, test } from '@jest/globals';
import { compareContracts, draftRest, operationsUsed, readOpenApi, readWsdl, type Change } from '../src';
import { berths, wsdlAround } from './files';

const told = (changes: readonly Change[]) => changes.map((c) => `${c.judged}: ${c.operation} ${c.place} ${c.words}`);
const wsdl = (inside: string, out = inside) =>
  readWsdl(
    wsdlAround(
      `<xs:element name="In"><xs:complexType><xs:sequence>${inside}</xs:sequence></xs:complexType></xs:element><xs:element name="Out"><xs:complexType><xs:sequence>${out}</xs:sequence></xs:complexType></xs:element>`,
    ),
  );
const el = (name: string, type: string, more = '') => `<xs:element name="${name}" type="xs:${type}" ${more}/>`;

describe('a newer contract, judged for callers', () => {
  test('the same says nothing', () => {
    expect(compareContracts(readWsdl(berths()), readWsdl(berths()))).toEqual([]);
  });

  test.each([
    [
      'a new optional field',
      el('a', 'string'),
      el('a', 'string') + el('b', 'int', 'minOccurs="0"'),
      ['safe: Do request /b is new', 'safe: Do reply /b is new'],
    ],
    [
      'a new needed field',
      el('a', 'string'),
      el('a', 'string') + el('b', 'int'),
      ['breaking: Do request /b is new and needed', 'safe: Do reply /b is new'],
    ],
    [
      'a field gone',
      el('a', 'string') + el('b', 'int', 'minOccurs="0"'),
      el('a', 'string'),
      ['breaking: Do request /b is gone', 'breaking: Do reply /b is gone'],
    ],
    [
      'needed becomes optional',
      el('a', 'string'),
      el('a', 'string', 'minOccurs="0"'),
      ['safe: Do request /a may be absent now', 'breaking: Do reply /a may be absent now'],
    ],
    [
      'optional becomes needed',
      el('a', 'string', 'minOccurs="0"'),
      el('a', 'string'),
      ['breaking: Do request /a is needed now', 'safe: Do reply /a is needed now'],
    ],
    [
      'a wider type',
      el('a', 'int'),
      el('a', 'decimal'),
      ['safe: Do request /a was integer, is number', 'breaking: Do reply /a was integer, is number'],
    ],
    [
      'one becomes many',
      el('a', 'string'),
      el('a', 'string', 'maxOccurs="3"'),
      ['breaking: Do request /a was string, is array', 'breaking: Do reply /a was string, is array'],
    ],
    [
      'null is allowed',
      el('a', 'string'),
      el('a', 'string', 'nillable="true"'),
      ['safe: Do request /a may be null now', 'breaking: Do reply /a may be null now'],
    ],
  ])('%s', (_name, before, after, want) => {
    expect(told(compareContracts(wsdl(before), wsdl(after)))).toEqual(want);
  });

  test('enumerations: less to send breaks, more to read may', () => {
    const kind = (...values: string[]) =>
      `<xs:element name="k"><xs:simpleType><xs:restriction base="xs:string">${values.map((v) => `<xs:enumeration value="${v}"/>`).join('')}</xs:restriction></xs:simpleType></xs:element>`;
    expect(told(compareContracts(wsdl(kind('a', 'b')), wsdl(kind('a', 'c'))))).toEqual([
      'breaking: Do request /k no longer takes "b"',
      'safe: Do request /k may be "c" now',
      'safe: Do reply /k no longer takes "b"',
      'risky: Do reply /k may be "c" now',
    ]);
  });

  test('types that hold themselves end', () => {
    const recursive = (extra: string) =>
      readWsdl(
        wsdlAround(
          `<xs:complexType name="N"><xs:sequence><xs:element name="n" type="N" minOccurs="0"/>${extra}</xs:sequence></xs:complexType><xs:element name="In" type="N"/><xs:element name="Out" type="N"/>`,
        ),
      );
    expect(compareContracts(recursive(''), recursive(el('x', 'int'))).length).toBeGreaterThan(0);
  });

  test('OpenAPI: operations and parameters', () => {
    const api = (paths: string) =>
      readOpenApi({
        entry: 'a.yaml',
        files: { 'a.yaml': `openapi: 3.1.0\ninfo: {title: t, version: "1"}\npaths:\n${paths}` },
      });
    const one = api(
      '  /a:\n    get: {operationId: one, parameters: [{name: x, in: query, schema: {type: string}}], responses: {200: {description: d}}}\n  /b:\n    get: {operationId: two, responses: {200: {description: d}}}\n',
    );
    const next = api(
      '  /c:\n    get: {operationId: one, parameters: [{name: x, in: query, required: true, schema: {type: string, maxLength: 5}}, {name: y, in: query, schema: {type: string}}], responses: {200: {description: d}}}\n',
    );
    expect(told(compareContracts(one, next))).toEqual([
      'safe: one path is GET /c, was GET /a',
      'breaking: one query x is needed now',
      'breaking: one query x at most 5 characters, was any',
      'safe: one query y is new',
      'breaking: two operation is gone',
    ]);
  });

  test('flows that use an operation are named', () => {
    const source = berths();
    const document = draftRest(readWsdl(source), source);
    expect(operationsUsed(document, 'berths-service').get('GetBerth')).toEqual(['GetBerth']);
    expect(operationsUsed(document, 'other').size).toBe(0);
  });
});
