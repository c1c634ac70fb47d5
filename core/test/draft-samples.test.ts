import { describe, expect, test } from '@jest/globals';
import {
  checkDocument,
  draftFor,
  exportOpenApi,
  readContract,
  readOpenApi,
  writeJson,
  type ContractFiles,
} from '../src';
import { printSchema } from 'graphql';
import { graphOf } from '../src/graph/graph';
import { ask } from './ask-world';
import { berths, ownContract } from './files';

/** Contracts of our own with much of what the standards allow: none of it may make a draft that refuses its own samples. */
const sources: [string, ContractFiles][] = [
  ['WSDL of the demo', berths()],
  [
    'WSDL: abstract types, unions, lists, substitution, wildcards, headers, rpc over SOAP 1.2',
    ownContract('yard.wsdl'),
  ],
  [
    'WSDL as service frameworks write it: schemas without places, nillable parts, arrays, patterns on durations, a table with its schema',
    ownContract('lighters.wsdl'),
  ],
  ['WSDL: types of SOAP encoding in literal messages', ownContract('encoded.wsdl')],
  [
    'OpenAPI 3.1: files, path items by reference, every style, 2020-12 keywords',
    ownContract('tides.yaml', 'parts/paths.yaml'),
  ],
  ['OpenAPI 3.0: matrix, cookies, content, nullable, CSV, forms', ownContract('pilots.yaml', 'parts/models.yaml')],
  [
    'OpenAPI 3.1: a type of several forms beside members of its own, merge and patch documents, nested filters, 2020-12 rules',
    ownContract('quays.yaml'),
  ],
  ['OpenAPI 3.0: ranges of media types', ownContract('ranges.yaml')],
];

describe.each(sources)('%s', (_words, source) => {
  const contract = readContract(source);
  const document = draftFor(contract, source, undefined, { address: 'http://backend.example' });

  test('the draft has no error', () => {
    expect(checkDocument(document).filter((f) => f.severity === 'error')).toEqual([]);
    expect(Object.keys(document.operations)).toHaveLength(contract.operations.filter((o) => !o.unusable).length);
  });
  test('its samples pass the guard schema and the map, and reach the backend', async () => {
    for (const c of document.cases!) {
      const r = await ask(document, c.operation, c.request);
      expect({ operation: c.operation, errors: r.errors }).toEqual({ operation: c.operation, errors: undefined });
      expect({ operation: c.operation, sent: r.sent?.method !== undefined }).toEqual({
        operation: c.operation,
        sent: true,
      });
    }
  });
  test('what it exports is read again as the same operations, parameters and bodies', () => {
    const text = writeJson(exportOpenApi(document));
    const again = readOpenApi({ entry: 'a.json', files: { 'a.json': text } });
    const shape = (o: { readonly id: string; readonly http?: (typeof again.operations)[0]['http'] }) => [
      o.id,
      o.http!.method,
      o.http!.path,
      o.http!.parameters.map((p) => `${p.in} ${p.name} ${p.style} ${p.explode} ${p.mediaType ?? ''} ${p.required}`),
      o.http!.request?.required ?? false,
    ];
    const kept = Object.entries(document.operations).map(([id, o]) => [id, o.method, o.path]);
    expect(again.operations.map((o) => shape(o).slice(0, 3)).sort()).toEqual(kept.sort());
    if (contract.format !== 'openapi') return;
    const own = new Map(contract.operations.map((o) => [o.id, shape(o)]));
    for (const o of again.operations) expect(shape(o)).toEqual(own.get(o.id));
  });
});

test('a graph of it knows the type of what is always the same', () => {
  const source = ownContract('tides.yaml', 'parts/paths.yaml');
  const { schema, findings } = graphOf(draftFor(readContract(source), source));
  const sdl = printSchema(schema);
  expect(sdl).toContain('type Gauge {\n  id: String!\n  place: [JSON!]\n  kind: String\n');
  expect(sdl).toContain('unit: String');
  expect(findings.filter((f) => f.severity === 'error')).toEqual([]);
});

describe('ranges of media types (RFC 9110 §12.5.1), as generators write them', () => {
  const source = ownContract('ranges.yaml');
  const document = draftFor(readContract(source), source);
  const path = { id: 7 };

  test('what has members or items is JSON for callers, what is bytes or text goes on as it is', () => {
    const types = Object.values(document.operations).map((o) => [o.request?.mediaType, o.reply?.mediaType]);
    expect(Object.fromEntries(Object.keys(document.operations).map((id, i) => [id, types[i]]))).toEqual({
      setLot: ['application/json', 'application/json'],
      allLots: [undefined, 'application/json'],
      lotName: [undefined, '*/*'],
      setPhoto: ['image/*', undefined],
      photo: [undefined, 'image/*'],
    });
  });
  test('the backend is asked for JSON, and may answer XML', async () => {
    const json = await ask(
      document,
      'setLot',
      { path, body: { mark: 'a' } },
      { text: '{"id":7,"mark":"a","owner":null}' },
    );
    expect([json.status, json.type, json.text]).toEqual([200, 'application/json', '{"id":7,"mark":"a","owner":null}']);
    expect(json.sent!.headers).toMatchObject({ 'content-type': 'application/json', accept: 'application/json' });
    const xml = { type: 'text/xml', text: '<Lot><id>7</id><mark>a</mark></Lot>' };
    expect(await ask(document, 'setLot', { path, body: { mark: 'a' } }, xml)).toMatchObject({
      status: 200,
      type: 'application/json',
      text: '{"id":7,"mark":"a"}',
    });
    const wrong = await ask(document, 'setLot', { path, body: { mark: 'a' } }, { text: '{"id":"x"}' });
    expect([wrong.status, wrong.inner]).toEqual([502, '/mark mark is missing; /id must be a whole number']);
  });
  test('text and bytes', async () => {
    const name = await ask(document, 'lotName', { path }, { type: 'text/plain', text: 'Ölm' });
    expect([name.type, name.text]).toEqual(['text/plain', 'Ölm']);
    const put = { path, text: '\x89PNG', headers: { 'content-type': 'image/png' } };
    const sent = (await ask(document, 'setPhoto', put, { text: '', status: 204 })).sent!;
    expect([sent.headers['content-type'], sent.body.text()]).toEqual(['image/png', '\x89PNG']);
    const refused = await ask(document, 'setPhoto', { ...put, headers: { 'content-type': 'text/plain' } });
    expect(refused.status).toBe(415);
  });
});
