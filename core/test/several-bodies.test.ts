import { describe, expect, test } from '@jest/globals';
import {
  checkDocument,
  compareContracts,
  draftFor,
  exportOpenApi,
  planFor,
  readOpenApi,
  requestMessage,
  sampleBody,
  type FlowDocument,
  type StepDocument,
} from '../src';
import { ask } from './ask-world';
import { openApiFaults } from './openapi-faults';

const OPENAPI = `openapi: 3.0.3
info: { title: Depot, version: '1' }
servers: [{ url: 'http://127.0.0.1:9912' }]
paths:
  /scans:
    post:
      operationId: addScan
      requestBody:
        required: true
        content:
          application/json: { schema: { $ref: '#/components/schemas/ByAddress' } }
          application/xml: { schema: { $ref: '#/components/schemas/ByAddress' } }
          text/json: { schema: { $ref: '#/components/schemas/ByAddress' } }
          multipart/form-data:
            encoding: { tags: { style: form, explode: false } }
            schema:
              type: object
              required: [file]
              properties:
                file: { type: string, format: binary }
                tags: { type: array, items: { type: string } }
          application/x-www-form-urlencoded:
            schema: { type: object, required: [ticket], properties: { ticket: { type: integer } }, additionalProperties: false }
          image/*: { schema: { type: string, format: binary } }
      responses: { '204': { description: done } }
  /pictures/{id}:
    put:
      operationId: putPicture
      parameters: [{ name: id, in: path, required: true, schema: { type: string } }]
      requestBody:
        content:
          image/png: { schema: { type: string, format: binary } }
          image/jpeg: { schema: { type: string, format: binary } }
      responses: { '204': { description: done } }
components:
  schemas:
    ByAddress: { type: object, required: [url], properties: { url: { type: string }, pages: { type: integer, minimum: 1 } } }
`;
const source = { entry: 'depot.yaml', files: { 'depot.yaml': OPENAPI } };
const contract = readOpenApi(source);
const drafted = (): FlowDocument => draftFor(contract, source, undefined, { base: '/d' });
const DONE = { text: '', status: 204 };
const send = (type: string, text: string, id = 'addScan') =>
  ask(drafted(), id, { headers: { 'content-type': type }, body: 'x', path: { id: '7' }, text } as never, DONE);
const PARTS = [
  '--b\r\ncontent-disposition: form-data; name="file"; filename="a.bin"\r\n\r\n\u0001\u0002\r\n',
  '--b\r\ncontent-disposition: form-data; name="tags"\r\n\r\nred,wet\r\n--b--\r\n',
].join('');

describe('an operation that takes several bodies (OpenAPI 3.0.3 §4.7.14.1)', () => {
  test('is drafted with each that no other form of the first one gives', () => {
    const d = drafted();
    expect(d.operations.addScan!.request).toMatchObject({
      mediaType: 'application/json',
      others: [
        { mediaType: 'multipart/form-data', styles: { tags: { style: 'form', explode: false } } },
        { mediaType: 'application/x-www-form-urlencoded', schema: { required: ['ticket'] } },
        { mediaType: 'image/*' },
      ],
    });
    expect(d.operations.putPicture!.request).toMatchObject({
      mediaType: 'image/png',
      others: [{ mediaType: 'image/jpeg' }],
    });
    expect(checkDocument(d).filter((f) => f.severity === 'error')).toEqual([]);
    expect(planFor(contract).map((row) => row.note)).toEqual([undefined, undefined]);
    expect(planFor(contract)[0]!.fields.at(-1)!.words).toBe(
      'application/json, multipart/form-data, application/x-www-form-urlencoded, image/*',
    );
  });

  test.each([
    ['application/json', '{"url":"u","pages":2}', 'application/json', '{"url":"u","pages":2}'],
    ['text/json', '{"url":"u"}', 'application/json', '{"url":"u"}'],
    ['application/xml', '<ByAddress><url>u</url></ByAddress>', 'application/json', '{"url":"u"}'],
    ['application/x-www-form-urlencoded', 'ticket=7', 'application/x-www-form-urlencoded', 'ticket=7'],
    ['multipart/form-data; boundary=b', PARTS, 'multipart/form-data; boundary=b', PARTS],
    ['image/webp', 'RIFF', 'image/webp', 'RIFF'],
  ])('%s reaches the backend as what it is', async (type, text, asType, asText) => {
    const { status, sent } = await send(type, text);
    expect([status, sent!.headers['content-type'], sent!.body.text()]).toEqual([204, asType, asText]);
  });

  test.each([
    ['application/json', '{"pages":0}', ['/url required: url is missing', '/pages minimum: must be at least 1']],
    ['application/json', '{"ticket":7}', ['/url required: url is missing']],
    [
      'application/x-www-form-urlencoded',
      'url=u',
      ['/ticket required: ticket is missing', '/url additionalProperties: url is not known here'],
    ],
    [
      'multipart/form-data; boundary=b',
      '--b\r\ncontent-disposition: form-data; name="tags"\r\n\r\nred\r\n--b--\r\n',
      ['/file missing: file is missing'],
    ],
  ])('%s is held against its own schema alone: %s', async (type, text, faults) => {
    const { status, errors, sent } = await send(type, text);
    expect([status, sent]).toEqual([400, undefined]);
    expect(errors).toEqual(faults);
  });

  test('a type that none of them is gets a 415 that names them all', async () => {
    const { status, headers, text } = await send('text/plain', 'hello');
    expect([status, headers.accept]).toEqual([
      415,
      'application/json, multipart/form-data, application/x-www-form-urlencoded, image/*',
    ]);
    expect(JSON.parse(text)).toMatchObject({
      detail:
        'Send the body as application/json or multipart/form-data or application/x-www-form-urlencoded or image/*; text/plain is not accepted here.',
    });
  });

  test('pictures of both kinds go on untouched, others are refused', async () => {
    for (const type of ['image/png', 'image/jpeg']) {
      const { status, sent } = await send(type, '\u0089PNG', 'putPicture');
      expect([status, sent!.headers['content-type'], sent!.body.text()]).toEqual([204, type, '\u0089PNG']);
    }
    expect((await send('image/gif', 'GIF', 'putPicture')).status).toBe(415);
  });

  test('a map may name the body that a backend gets; behind a reply it gets the first', async () => {
    const withMap = (mediaType?: string): FlowDocument => {
      const d = drafted();
      const to = { backend: 'depot', operation: 'addScan', ...(mediaType !== undefined && { mediaType }) };
      const from = mediaType === undefined ? '{"url": "http://x"}' : '{"ticket": 12}';
      const flow: StepDocument[] = [
        { kind: 'map', to, fields: [{ to: '/body', from }] },
        ...d.operations.addScan!.flow.slice(1),
      ];
      return {
        ...d,
        operations: { addScan: { ...d.operations.addScan!, method: 'GET', request: undefined, flow } },
        cases: [],
      };
    };
    const form = 'application/x-www-form-urlencoded';
    const named = await ask(withMap(form), 'addScan', {}, DONE);
    expect([named.sent!.headers['content-type'], named.sent!.body.text()]).toEqual([form, 'ticket=12']);
    const first = await ask(withMap(), 'addScan', {}, DONE);
    expect([first.sent!.headers['content-type'], first.sent!.body.text()]).toEqual([
      'application/json',
      '{"url":"http://x"}',
    ]);
    expect(checkDocument(withMap('text/csv')).map((f) => `${f.code} ${f.message} ${f.remedy ?? ''}`)).toContain(
      `HNG-302 addScan takes no text/csv Choose one of application/json, multipart/form-data, ${form}, image/*, or none.`,
    );
    // Of the body that is named, and of no other, the fields are known.
    const wrong = withMap(form);
    (wrong.operations.addScan!.flow[0] as { fields: object[] }).fields = [{ to: '/body/url', from: '"u"' }];
    expect(checkDocument(wrong).map((f) => f.code)).toContain('HNG-309');
  });

  test('the exported document has them all, and is read again as the same', () => {
    const exported = exportOpenApi(drafted()) as {
      paths: Record<string, Record<string, { requestBody: { content: object } }>>;
    };
    expect(Object.keys(exported.paths['/scans']!.post!.requestBody.content).sort()).toEqual([
      'application/json',
      'application/x-www-form-urlencoded',
      'application/xml',
      'image/*',
      'multipart/form-data',
    ]);
    expect(openApiFaults(exported).faults).toBe('');
    const text = JSON.stringify(exported);
    const again = readOpenApi({ entry: 'a.json', files: { 'a.json': text } });
    expect(compareContracts(contract, again).filter((x) => x.judged === 'breaking')).toEqual([]);
    const twice = draftFor(again, { entry: 'a.json', files: { 'a.json': text } }, undefined, { base: '/d' });
    expect(twice.operations.addScan!.request).toEqual(drafted().operations.addScan!.request);
  });

  test('a body that is gone is a breaking difference', () => {
    const less = readOpenApi({
      entry: 'b.yaml',
      files: { 'b.yaml': OPENAPI.replace(/ +application\/x-www[^]*?image\/\*.*\n/, '') },
    });
    expect(compareContracts(contract, less).map((x) => `${x.judged} ${x.place} ${x.words}`)).toEqual([
      'breaking request as application/x-www-form-urlencoded is gone',
      'breaking request as image/* is gone',
    ]);
  });

  test('a request outside of any flow has the first', () => {
    const op = contract.operations[0]!;
    const { message, faults } = requestMessage(op, contract.types, { body: { url: 'u' } });
    expect([message!.body.mediaType, faults]).toEqual(['application/json', []]);
  });
});

describe('a body of a case, made from the schema', () => {
  const op = drafted().operations.addScan!;
  const types = drafted().types ?? {};
  test.each(['application/json', 'multipart/form-data', 'application/x-www-form-urlencoded', 'image/*'])(
    '%s passes the guard',
    async (wanted) => {
      const { mediaType, body } = sampleBody(op, wanted, types);
      const text = typeof body === 'string' ? body : JSON.stringify(body ?? 'bytes');
      const { status, sent } = await send(mediaType, text);
      expect([status, sent!.headers['content-type']]).toEqual([204, mediaType]);
    },
  );
  test('a type that the operation does not take gives its own', () => {
    expect(sampleBody(op, 'text/csv', types)).toEqual({
      mediaType: 'application/json',
      body: { url: 'url', pages: 1 },
    });
  });
});

describe('names in XML that only the XML of a message has', () => {
  const TEXT = `openapi: 3.0.3
info: { title: Names, version: '1' }
servers: [{ url: 'http://127.0.0.1:9912' }]
paths:
  /moorings:
    get:
      operationId: moorings
      responses:
        '200':
          description: all
          content:
            application/json: { schema: { type: array, items: { $ref: '#/components/schemas/Mooring' } } }
            application/xml: { schema: { type: array, items: { $ref: '#/components/schemas/Mooring', xml: { name: mooring } }, xml: { name: moorings, wrapped: true } } }
components: { schemas: { Mooring: { type: object, properties: { id: { type: integer, xml: { attribute: true } } } } } }
`;
  test('are taken for what is JSON beside it', async () => {
    const files = { entry: 'n.yaml', files: { 'n.yaml': TEXT } };
    const d = draftFor(readOpenApi(files), files, undefined, { base: '/d' });
    const answer = { text: '[{"id":1},{"id":2}]' };
    const xml = await ask(d, 'moorings', { headers: { accept: 'application/xml' } }, answer);
    expect(xml.text).toMatch(/<moorings>.*<mooring id="1"\/><mooring id="2"\/><\/moorings>/s);
    expect((await ask(d, 'moorings', {}, answer)).text).toBe('[{"id":1},{"id":2}]');
    const back = { type: 'application/xml', text: '<moorings><mooring id="3"/></moorings>' };
    expect((await ask(d, 'moorings', {}, back)).text).toBe('[{"id":3}]');
  });
});
