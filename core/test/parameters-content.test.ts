import { describe, expect, test } from '@jest/globals';
import Papa from 'papaparse';
import {
  checkDocument,
  compareContracts,
  draftFor,
  exportOpenApi,
  readOpenApi,
  writeJson,
  type FlowDocument,
} from '../src';
import { ask, queryOf } from './ask-world';
import { applyCallers, callersOpenApi } from '../src/text/callers';

const PILOTS = `openapi: 3.1.0
info: { title: Pilots, version: "1" }
paths:
  /pilots:
    get:
      operationId: findPilots
      parameters:
        - { name: where, in: query, content: { application/json: { schema: { type: object, required: [grade], properties: { grade: { type: integer } }, additionalProperties: false } } } }
        - { name: X-Ask, in: header, content: { application/json: { schema: { type: object } } } }
        - { name: filter, in: query, style: deepObject, explode: true, schema: { type: object, additionalProperties: { type: integer } } }
        - { name: box, in: query, style: deepObject, explode: true, schema: { type: object, properties: { side: { type: array, items: { type: integer } } } } }
        - { name: range, in: query, explode: false, schema: { type: array, items: { type: number } } }
      responses: { '200': { description: ok, content: { application/json: { schema: { type: array, items: { $ref: '#/components/schemas/Pilot' } } } } } }
    post:
      operationId: addPilots
      requestBody: { content: { application/json: { schema: { type: array, items: { $ref: '#/components/schemas/Pilot' } } }, application/xml: { schema: { type: array, description: All, xml: { name: pilots }, items: { $ref: '#/components/schemas/Pilot' } } }, text/csv: { schema: { type: array, items: { $ref: '#/components/schemas/Pilot' } } } } }
      responses: { '200': { description: ok, content: { text/csv: { schema: { type: array, items: { $ref: '#/components/schemas/Pilot' } } } } } }
    put:
      operationId: setPilots
      requestBody: { content: { application/x-www-form-urlencoded: { schema: { $ref: '#/components/schemas/Pilot' } }, text/csv: { schema: { type: array, items: { $ref: '#/components/schemas/Pilot' } } } } }
      responses: { '204': { description: ok } }
  /any:
    get:
      operationId: any
      parameters:
        - { name: all, in: query, schema: { type: object, additionalProperties: { type: integer } } }
        - { name: page, in: query, schema: { type: integer } }
      responses: { '204': { description: ok } }
components:
  schemas:
    Pilot: { type: object, required: [name], additionalProperties: false, properties: { name: { type: string }, grade: { type: integer } } }
`;
const source = { entry: 'pilots.yaml', files: { 'pilots.yaml': PILOTS } };
const contract = readOpenApi(source);
const drafted: FlowDocument = draftFor(contract, source, undefined, { address: 'http://backend.example' });
const CSV = 'text/csv';

describe('a parameter that is a message of its own (OpenAPI 3.1 §4.8.12, content)', () => {
  test('goes on as one, in the query and in a header, which holds ASCII alone', async () => {
    const r = await ask(drafted, 'findPilots', {
      query: { where: { grade: 2 } },
      headers: { 'x-ask': '{"port":"Öland"}' },
    });
    expect([r.status, queryOf(r.sent)]).toEqual([200, 'where={"grade":2}']);
    expect(r.sent!.headers['x-ask']).toBe('{"port":"\\u00d6land"}');
    expect(JSON.parse(r.sent!.headers['x-ask']!)).toEqual({ port: 'Öland' });
  });
  test.each([
    ['{"grade":"a"}', 'where type: /grade must be a whole number'],
    ['{}', 'where required: '],
    ['{"grade":1,"x":2}', 'where additionalProperties: '],
    ['{"grade":', 'where syntax: is no application/json: '],
  ])('%s is refused by its name', async (where, words) => {
    const r = await ask(drafted, 'findPilots', { raw: { where } });
    expect([r.status, r.errors?.length, r.sent]).toEqual([400, 1, undefined]);
    expect(r.errors![0]).toContain(words);
  });
  test('twice is refused', async () => {
    const r = await ask(drafted, 'findPilots', { raw: { where: ['{"grade":1}', '{"grade":2}'] } });
    expect(r.errors).toEqual(['where type: may be given once only']);
  });
  test('stands in the exported document, and in the text of the callers view, which reads it back', () => {
    const exported = JSON.parse(writeJson(exportOpenApi(drafted))) as Exported;
    const p = exported.paths['/pilots']!.get!.parameters.find((x) => x.name === 'where')!;
    expect(Object.keys(p)).toEqual(['name', 'in', 'content']);
    expect(Object.keys(p.content!)).toEqual(['application/json']);
    const again = readOpenApi({ entry: 'a.json', files: { 'a.json': JSON.stringify(exported) } });
    expect(again.operations[0]!.http!.parameters).toEqual(
      contract.operations[0]!.http!.parameters.map(
        (x) => expect.objectContaining({ ...x, example: undefined }) as object,
      ),
    );
    const back = applyCallers(drafted, callersOpenApi(drafted), () => ({}));
    expect(back.document.operations.findPilots!.parameters).toEqual(drafted.operations.findPilots!.parameters);
  });
  test('a newer contract that writes it otherwise is told', () => {
    const text = PILOTS.replace('explode: false', 'style: pipeDelimited, explode: false').replace(
      'content: { application/json: { schema: { type: object, required: [grade], properties: { grade: { type: integer } }, additionalProperties: false } } }',
      'schema: { type: object, required: [grade], properties: { grade: { type: integer } }, additionalProperties: false }',
    );
    const newer = readOpenApi({ entry: 'a.yaml', files: { 'a.yaml': text } });
    expect(compareContracts(contract, newer).map((c) => `${c.place} ${c.words} ${c.judged}`)).toEqual([
      'query where is written as form exploded, was application/json; the gateway writes it so safe',
      'query range is written as pipeDelimited, was form; the gateway writes it so safe',
    ]);
  });
});
interface Exported {
  paths: Record<string, Record<string, { parameters: { name: string; content?: object }[] }>>;
}

describe('objects in a query that name none of their members', () => {
  test('in brackets: any name, by the schema of the others', async () => {
    const r = await ask(drafted, 'findPilots', { raw: { 'filter[tug]': '3', 'filter[a b]': '4' } });
    expect([r.status, queryOf(r.sent)]).toEqual([200, 'filter[tug]=3&filter[a b]=4']);
    const bad = await ask(drafted, 'findPilots', { raw: { 'filter[tug]': 'x', 'box[other]': '1' } });
    expect(bad.errors).toEqual([
      'filter type: /tug must be a whole number',
      'box[other] additionalProperties: the query parameter box[other] is not known here',
    ]);
  });
  test('names that every object has are names like others', async () => {
    const names = ['constructor', 'toString', '__proto__', 'hasOwnProperty'];
    const raw = Object.fromEntries(names.map((n) => [`filter[${n}]`, '3']));
    const r = await ask(drafted, 'findPilots', { raw });
    expect([r.errors, queryOf(r.sent)]).toEqual([undefined, names.map((n) => `filter[${n}]=3`).join('&')]);
    const bad = await ask(drafted, 'findPilots', { raw: { 'filter[constructor]': 'x' } });
    expect(bad.errors).toEqual(['filter type: /constructor must be a whole number']);
  });
  test('a list within is one as often as it is given', async () => {
    for (const side of ['7', ['7', '8']]) {
      const r = await ask(drafted, 'findPilots', { raw: { 'box[side]': side } });
      expect([r.status, queryOf(r.sent)]).toEqual([
        200,
        [side]
          .flat()
          .map((s) => `box[side]=${s}`)
          .join('&'),
      ]);
    }
  });
  test('each by a name of its own: all that no other parameter is called', async () => {
    const r = await ask(drafted, 'any', { raw: { x: '1', page: '2', y: '3' } });
    expect([r.errors, queryOf(r.sent)]).toEqual([undefined, 'x=1&y=3&page=2']);
  });
  test('a case that gives a member in its brackets gives nothing that is not read; a cookie has a place of its own', () => {
    const told = (request: object): string[] => {
      const parameters = [
        ...drafted.operations.findPilots!.parameters!,
        { name: 'session', in: 'cookie' as const, schema: { type: 'string' as const } },
      ];
      const d = {
        ...drafted,
        operations: { ...drafted.operations, findPilots: { ...drafted.operations.findPilots!, parameters } },
        cases: [{ name: 'a', operation: 'findPilots', request }],
      };
      return checkDocument(d).flatMap((f) => (f.code === 'HNG-322' ? [f.place.pointer ?? ''] : []));
    };
    expect(told({ query: { 'filter[tug]': '1', 'box[side]': '1', range: '1' }, cookies: { session: 'a' } })).toEqual(
      [],
    );
    expect(told({ query: { 'box[top]': '1', side: 1 }, cookies: { other: 'a' } })).toEqual([
      '/cases/0/request/query/box[top]',
      '/cases/0/request/query/side',
      '/cases/0/request/cookies/other',
    ]);
  });
  test('cookies of a case come as callers send them', async () => {
    const text = PILOTS.replace('- { name: page, in: query', '- { name: tide, in: cookie');
    const s = { entry: 'c.yaml', files: { 'c.yaml': text } };
    const d = draftFor(readOpenApi(s), s, undefined, { address: 'http://backend.example' });
    const r = await ask(d, 'any', { cookies: { tide: 7 }, headers: { cookie: 'a=b' } });
    expect(r.sent!.headers.cookie).toBe('tide=7');
    const bad = await ask(d, 'any', { cookies: { tide: 'high water' } });
    expect(bad.errors).toEqual(['tide type: must be a whole number']);
  });
  test('a case writes them as callers do', async () => {
    const r = await ask(drafted, 'findPilots', {
      query: { filter: { tug: 3 }, box: { side: [1, 2] }, range: [1, 2.5] },
    });
    expect([r.status, queryOf(r.sent)]).toEqual([200, 'filter[tug]=3&box[side]=1&box[side]=2&range=1,2.5']);
  });
});

describe('CSV at a door (RFC 4180; papaparse judges)', () => {
  const rows = [
    { name: 'Ann "A", Öst', grade: '2' },
    { name: 'Bo', grade: '' },
  ];
  const text = Papa.unparse(rows, { newline: '\r\n' });
  const asJson = [{ name: 'Ann "A", Öst', grade: 2 }, { name: 'Bo' }];

  test('a list may come as CSV where JSON is the own form of the operation', async () => {
    const r = await ask(
      drafted,
      'addPilots',
      { text, headers: { 'content-type': CSV } },
      { type: CSV, text: 'name\r\nBo' },
    );
    expect([r.status, JSON.parse(r.sent!.body.text())]).toEqual([200, asJson]);
    const bad = await ask(drafted, 'addPilots', { text: 'name,grade\r\nBo,x', headers: { 'content-type': CSV } });
    expect([bad.status, bad.errors]).toEqual([400, ['/0/grade type: must be a whole number']]);
  });
  test('and goes out as CSV to whoever asks for it, as JSON or XML where the backend has CSV', async () => {
    const json = { type: 'application/json', text: JSON.stringify(asJson) };
    const r = await ask(drafted, 'findPilots', { headers: { accept: 'text/csv, application/json;q=0.5' } }, json);
    expect(r.type).toBe(CSV);
    expect(Papa.parse(r.text, { header: true }).data).toEqual(rows);
    expect((await ask(drafted, 'findPilots', { headers: { accept: '*/*' } }, json)).type).toBe('application/json');
    const csv = { type: CSV, text };
    const body = { body: [], headers: { accept: 'application/json' } };
    const back = await ask(drafted, 'addPilots', body, csv);
    expect([back.type, JSON.parse(back.text)]).toEqual(['application/json', asJson]);
    const xml = await ask(drafted, 'addPilots', { body: [], headers: { accept: 'application/xml' } }, csv);
    expect([xml.type, xml.text.match(/<grade>2<\/grade>/g)?.length]).toEqual(['application/xml', 1]);
    expect(await ask(drafted, 'addPilots', { body: [], headers: { accept: CSV } }, csv)).toMatchObject({
      type: CSV,
      status: 200,
    });
  });
  test('CSV in another shape than the first body reaches the backend as CSV, held against its own schema', async () => {
    const r = await ask(drafted, 'setPilots', { text, headers: { 'content-type': CSV } }, { text: '', status: 204 });
    expect([r.status, r.sent!.headers['content-type'], JSON.parse(JSON.stringify(r.sent!.body.value()))]).toEqual([
      204,
      CSV,
      asJson,
    ]);
    const bad = await ask(drafted, 'setPilots', { text: 'name,grade\r\nBo,x', headers: { 'content-type': CSV } });
    expect([bad.status, bad.errors]).toEqual([400, ['/0/grade type: must be a whole number']]);
    const one = await ask(drafted, 'setPilots', { body: { name: 'Bo' } }, { text: '', status: 204 });
    expect(one.sent!.body.text()).toBe('name=Bo');
  });
  test('the exported document names what the door reads and writes', () => {
    const at = (d: FlowDocument, path: string, method: string) => {
      const o = (
        exportOpenApi(d).paths as Record<
          string,
          Record<string, { requestBody?: { content: object }; responses: Record<string, { content?: object }> }>
        >
      )[path]![method]!;
      return [o.requestBody, o.responses['200'], o.responses['400']].map((x) =>
        Object.keys(x?.content ?? {}).join(' '),
      );
    };
    const all = 'application/json application/xml text/csv';
    expect(at(drafted, '/pilots', 'get')).toEqual(['', all, 'application/problem+json']);
    expect(at(drafted, '/pilots', 'post')[0]).toBe(all);
    const door = (answers: 'json' | 'xml') => ({ ...drafted, doors: [{ ...drafted.doors[0]!, answers }] });
    expect(at(door('json'), '/pilots', 'get')).toEqual(['', 'application/json', 'application/problem+json']);
    expect(at(door('xml'), '/pilots', 'get')).toEqual(['', 'application/xml', 'application/problem+xml']);
  });
});

describe('XML, forms and CSV as the own form of an operation are held against its schema', () => {
  const own = (mediaType: string, schema: object): FlowDocument => ({
    hinge: 1,
    api: { name: 'Own', version: '1' },
    doors: [{ name: 'public', path: '/pilots' }],
    guards: [{ kind: 'schema' }],
    backends: { one: { address: 'http://backend.example' } },
    operations: {
      put: { method: 'POST', path: '/put', request: { mediaType, schema }, flow: [{ kind: 'call', backend: 'one' }] },
    },
  });
  const pilot = contract.types.Pilot!;
  const list = { type: 'array', items: pilot } as const;
  test.each([
    ['application/xml', pilot, '<put><name>A</name><grade>2</grade></put>', '<put><name>A</name><rank>2</rank></put>'],
    ['application/x-www-form-urlencoded', pilot, 'name=A&grade=2', 'name=A&rank=2'],
    [CSV, list, 'name,grade\r\nA,2', 'name,rank\r\nA,2'],
  ])('%s', async (type, schema, good, bad) => {
    const d = own(type, schema);
    const headers = { 'content-type': type };
    const ok = await ask(d, 'put', { text: good, headers });
    expect([ok.status, ok.errors]).toEqual([200, undefined]);
    if (type !== 'application/xml') expect(ok.sent!.body.text()).toBe(good);
    const told = await ask(d, 'put', { text: good, headers: { 'content-type': `${type}; charset=iso-8859-1` } });
    expect(told.sent!.headers['content-type']).toBe(type);
    const wrong = await ask(d, 'put', { text: bad, headers });
    expect([wrong.status, wrong.errors]).toEqual([400, [expect.stringMatching(/rank additionalProperties: /)]]);
  });
  test('an element that a closed schema does not name is told, not left out, at a door over JSON', async () => {
    const d = own('application/json', pilot);
    const headers = { 'content-type': 'application/xml' };
    const r = await ask(d, 'put', { text: '<put x="1"><name>A</name><rank><a>1</a></rank></put>', headers });
    expect([r.status, r.errors?.map((e) => e.split(' ')[0])]).toEqual([400, ['/@x', '/rank']]);
  });
});

describe('lists and objects in the form that a backend takes', () => {
  const two = (format: string) => `swagger: "2.0"
info: { title: T, version: "1" }
paths:
  /two:
    post:
      operationId: send
      parameters: [{ name: sizes, in: formData, type: array, items: { type: integer }${format} }, { name: a, in: formData, type: string }]
      responses: { "200": { description: Done } }
`;
  const three = (media: string, encoding: string) => `openapi: 3.1.0
info: { title: T, version: "1" }
paths:
  /two:
    post:
      operationId: send
      requestBody: { content: { ${media}: { schema: { type: object, properties: { sizes: { type: array, items: { type: integer } }, box: { type: object, properties: { w: { type: integer }, h: { type: integer } } } } }, encoding: ${encoding} } } }
      responses: { "200": { description: Done } }
`;
  const FORM = 'application/x-www-form-urlencoded';
  const sent = async (text: string, body: object) => {
    const s = { entry: 'a.yaml', files: { 'a.yaml': text } };
    const d = draftFor(readOpenApi(s), s, undefined, { address: 'http://backend.example' });
    expect(writeJson(exportOpenApi(d))).not.toContain('x-form');
    const r = await ask(d, 'send', { body });
    expect(r.errors).toBeUndefined();
    return r.sent!.body.text();
  };
  const fields = (text: string) => [...new URLSearchParams(text)].map(([k, v]) => `${k}=${v}`).join('&');

  test.each([
    ['', 'sizes=1,2&a=x'],
    [', collectionFormat: csv', 'sizes=1,2&a=x'],
    [', collectionFormat: ssv', 'sizes=1 2&a=x'],
    [', collectionFormat: pipes', 'sizes=1|2&a=x'],
    [', collectionFormat: multi', 'sizes=1&sizes=2&a=x'],
  ])('OpenAPI 2.0%s (Parameter Object, collectionFormat): %s', async (format, wanted) => {
    expect(fields(await sent(two(format), { sizes: [1, 2], a: 'x' }))).toBe(wanted);
    expect(fields(await sent(two(format), { sizes: [], a: 'x' }))).toBe('a=x');
  });
  test.each([
    ['{}', 'sizes=1&sizes=2&box={"w":3,"h":4}'],
    ['{ sizes: { explode: false }, box: { style: deepObject } }', 'sizes=1,2&box[w]=3&box[h]=4'],
    ['{ sizes: { style: pipeDelimited }, box: { style: form } }', 'sizes=1|2&w=3&h=4'],
    ['{ box: { explode: false } }', 'sizes=1&sizes=2&box=w,3,h,4'],
  ])('encoding %s (OpenAPI 3.1 §4.8.15): %s', async (encoding, wanted) => {
    expect(fields(await sent(three(FORM, encoding), { sizes: [1, 2], box: { w: 3, h: 4 } }))).toBe(wanted);
  });
  test('in a form of parts too', async () => {
    const text = await sent(three('multipart/form-data', '{ sizes: { explode: false } }'), { sizes: [1, 2] });
    expect(text.match(/name="sizes"\r\n(?:[^\r]+\r\n)*\r\n([^\r]*)/)?.[1]).toBe('1,2');
    expect(text.match(/name="sizes"/g)).toHaveLength(1);
    // Callers send such a form themselves: it says so to them, and is read so.
    const s = { entry: 'a.yaml', files: { 'a.yaml': three('multipart/form-data', '{ sizes: { explode: false } }') } };
    const d = draftFor(readOpenApi(s), s, undefined, { address: 'http://backend.example' });
    expect(writeJson(exportOpenApi(d))).toContain('"encoding":{"sizes":{"style":"form","explode":false}}');
    const applied = applyCallers(d, callersOpenApi(d), () => ({}));
    expect(applied.document.operations.send!.request).toEqual(d.operations.send!.request);
    const type = 'multipart/form-data; boundary=b';
    const parts = (sizes: string) => `--b\r\nContent-Disposition: form-data; name="sizes"\r\n\r\n${sizes}\r\n--b--\r\n`;
    const json =
      '--b\r\nContent-Disposition: form-data; name="sizes"\r\nContent-Type: application/json\r\n\r\n7\r\n--b--\r\n';
    const one = await ask(d, 'send', { text: json, headers: { 'content-type': type } });
    expect([one.errors, one.sent?.body.text()]).toEqual([undefined, json]);
    const good = await ask(d, 'send', { text: parts('1,2'), headers: { 'content-type': type } });
    expect([good.errors, good.sent?.body.text()]).toEqual([undefined, parts('1,2')]);
    const bad = await ask(d, 'send', { text: parts('1,x'), headers: { 'content-type': type } });
    expect(bad.errors).toEqual(['/sizes/1 type: must be a whole number']);
  });
});
