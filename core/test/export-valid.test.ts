import { describe, expect, test } from '@jest/globals';
import { draftFor, draftSoap, exportOpenApi, readContract, type ContractFiles } from '../src';
import { openApiFaults } from './openapi-faults';
import { berths, ownContract, wsdlAround } from './files';

function faultsOf(source: ContractFiles): string {
  const document = draftFor(readContract(source), source);
  const { faults, schemas } = openApiFaults(exportOpenApi(document, { server: 'http://127.0.0.1:4320' }));
  if (!faults) expect(schemas).toBeGreaterThan(1);
  return faults;
}

const both = (type: string) =>
  `<xs:element name="In"><xs:complexType>${type}</xs:complexType></xs:element><xs:element name="Out"><xs:complexType>${type}</xs:complexType></xs:element>`;

describe('every exported REST API is valid OpenAPI 3.1', () => {
  test.each<[string, ContractFiles]>([
    ['berths', berths()],
    [
      'xsi:type, wildcards, mixed content, recursion',
      wsdlAround(
        `<xs:complexType name="A"><xs:sequence><xs:element name="self" type="A" minOccurs="0"/></xs:sequence></xs:complexType><xs:complexType name="B"><xs:complexContent><xs:extension base="A"><xs:attribute name="k" type="xs:int"/></xs:extension></xs:complexContent></xs:complexType><xs:complexType name="M" mixed="true"><xs:sequence><xs:element name="b" type="xs:string" minOccurs="0"/></xs:sequence></xs:complexType>${both('<xs:sequence><xs:element name="a" type="A"/><xs:element name="m" type="M"/><xs:any minOccurs="0" maxOccurs="3"/></xs:sequence><xs:anyAttribute/>')}`,
      ),
    ],
    ['much of XML Schema', ownContract('yard.wsdl')],
    ['much of OpenAPI 3.1', ownContract('tides.yaml', 'parts/paths.yaml')],
    ['much of OpenAPI 3.0', ownContract('pilots.yaml', 'parts/models.yaml')],
    [
      'OpenAPI 2.0 with a form',
      {
        entry: 'a.json',
        files: {
          'a.json':
            '{"swagger":"2.0","info":{"title":"Dues","version":"1"},"host":"h.example","paths":{"/quote/{id}":{"post":{"operationId":"quote","consumes":["application/x-www-form-urlencoded"],"parameters":[{"name":"id","in":"path","required":true,"type":"string"},{"name":"length","in":"formData","type":"number","required":true}],"responses":{"201":{"description":"ok","schema":{"type":"object"}},"default":{"description":"other"}}}}}}',
        },
      },
    ],
  ])('%s', (_name, source) => expect(faultsOf(source)).toBe(''));

  test('a SOAP door has no REST operation, and says so with an empty, valid document', () => {
    const source = berths();
    const exported = exportOpenApi(draftSoap(readContract(source), source));
    expect(Object.keys(exported.paths as object)).toEqual([]);
    expect(openApiFaults(exported).faults).toBe('');
  });

  test('guards that ask who calls are its security schemes, all of them needed; an operation without one says so by having none', () => {
    const source = berths();
    const document = draftFor(readContract(source), source);
    const exported = exportOpenApi({
      ...document,
      guards: [
        { kind: 'key', query: 'k' },
        { kind: 'jwt', issuer: 'https://id.example', keys: [] },
      ],
      operations: {
        ...document.operations,
        GetBerth: {
          ...document.operations.GetBerth!,
          guards: [
            { kind: 'key', off: true },
            { kind: 'jwt', off: true, issuer: 'x' },
          ],
        },
      },
    }) as {
      components: { securitySchemes: unknown };
      paths: Record<string, Record<string, { operationId: string; security?: unknown }>>;
    };
    expect(openApiFaults(exported).faults).toBe('');
    expect(exported.components.securitySchemes).toEqual({
      key: { type: 'apiKey', in: 'query', name: 'k' },
      jwt: { type: 'http', scheme: 'bearer', bearerFormat: 'JWT', description: 'A token of https://id.example' },
    });
    const operations = Object.values(exported.paths).flatMap((p) => Object.values(p));
    expect(operations.filter((o) => o.security === undefined).map((o) => o.operationId)).toEqual(['GetBerth']);
    expect(operations.find((o) => o.operationId === 'FindBerths')!.security).toEqual([{ key: [], jwt: [] }]);
  });

  test('the judge refuses what is not valid', () => {
    expect(openApiFaults({ openapi: '3.1.0', info: { title: 't' } }).faults).not.toBe('');
  });
});
