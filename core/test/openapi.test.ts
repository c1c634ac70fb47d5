import { describe, expect, test } from '@jest/globals';
import { Ajv2020 } from 'ajv/dist/2020.js';
import {
  Body,
  checkDocument,
  collectContract,
  compileApi,
  draftFor,
  exportOpenApi,
  incomingOf,
  readContract,
  readOpenApi,
  ValidatorSet,
  writeJson,
  type BackendRequest,
  type Contract,
  type FlowDocument,
  type SampleRequest,
} from '../src';

const TOW = `
openapi: 3.0.3
info: { title: Tow desk, version: "2.1" }
servers: [{ url: "http://127.0.0.1:1/tow/" }, { url: /relative }]
paths:
  /tugs:
    parameters: [{ $ref: '#/components/parameters/Office' }]
    get:
      operationId: listTugs
      parameters:
        - { name: free, in: query, schema: { type: boolean } }
        - { name: pull, in: query, style: deepObject, explode: true, schema: { type: object, properties: { min: { type: integer }, max: { type: integer } } } }
        - { name: names, in: query, explode: false, schema: { type: array, items: { type: string } } }
      responses:
        '200': { description: Tugs, content: { application/json: { schema: { type: array, items: { $ref: 'types.yaml#/Tug' } } } } }
    post:
      operationId: orderTow
      requestBody: { required: true, content: { application/json: { schema: { $ref: '#/components/schemas/Order' } } } }
      responses:
        '201':
          description: Made
          content: { application/json: { schema: { $ref: '#/components/schemas/Order' } } }
          links: { Tug: { operationId: get_tugs_id, parameters: { id: $response.body#/tug } } }
        '409': { description: Taken, content: { application/json: { schema: { type: object, properties: { message: { type: string } } } } } }
  /tugs/{id}:
    get:
      parameters: [{ name: id, in: path, required: true, schema: { type: string } }]
      responses:
        '200': { description: Tug, content: { application/xml: { schema: { $ref: 'types.yaml#/Tug' } } } }
        '404': { description: None }
components:
  parameters:
    Office: { name: X-Office, in: header, required: true, schema: { type: string } }
  schemas:
    Order:
      type: object
      required: [tug, length]
      properties:
        tug: { type: string, example: T1 }
        length: { type: number, nullable: true, minimum: 0, exclusiveMinimum: true }
        craft: { oneOf: [{ $ref: '#/components/schemas/Ship' }, { $ref: '#/components/schemas/Barge' }], discriminator: { propertyName: kind } }
        next: { $ref: '#/components/schemas/Order' }
    Ship: { allOf: [{ $ref: '#/components/schemas/Craft' }, { type: object, properties: { imo: { type: integer } } }] }
    Barge: { allOf: [{ $ref: '#/components/schemas/Craft' }] }
    Craft: { type: object, required: [kind], properties: { kind: { type: string } } }
`;
const TYPES = `
Tug:
  type: object
  required: [id, bollardPull]
  xml: { name: tug }
  properties:
    id: { type: string, xml: { attribute: true } }
    bollardPull: { type: number }
    masters: { type: array, xml: { wrapped: true, name: masters }, items: { type: string, xml: { name: master } } }
`;
const source = { entry: 'api/tow.yaml', files: { 'api/tow.yaml': TOW, 'api/types.yaml': TYPES } };
const op = (c: Contract, id: string) => c.operations.find((o) => o.id === id)!;

describe('reading', () => {
  const c = readOpenApi(source);

  test('operations with method, path, parameters of path and operation, replies, links', () => {
    expect(c.operations.map((o) => `${o.id} ${o.http!.method} ${o.http!.path}`)).toEqual([
      'listTugs GET /tugs',
      'orderTow POST /tugs',
      'get_tugs_id GET /tugs/{id}',
    ]);
    expect(
      op(c, 'listTugs').http!.parameters.map((p) => `${p.in} ${p.name} ${p.style} ${p.explode} ${p.required}`),
    ).toEqual([
      'header X-Office simple false true',
      'query free form true false',
      'query pull deepObject true false',
      'query names form false false',
    ]);
    expect(op(c, 'orderTow').http!.replies.map((r) => r.status)).toEqual(['201', '409']);
    expect(op(c, 'orderTow').http!.links).toEqual([
      { name: 'Tug', operationId: 'get_tugs_id', parameters: { id: '$response.body#/tug' } },
    ]);
    expect(c.addresses).toEqual(['http://127.0.0.1:1/tow']);
    expect([c.name, c.version]).toEqual(['Tow desk', '2.1']);
  });

  test('schemas of 3.0 in the terms of 2020-12; references across files and in circles become one table', () => {
    expect(c.types.Order!.properties!.length).toEqual({ type: ['number', 'null'], exclusiveMinimum: 0 });
    expect(c.types.Order!.properties!.tug).toEqual({ type: 'string', examples: ['T1'] });
    expect(c.types.Order!.properties!.next).toEqual({ $ref: '#/types/Order' });
    expect(c.types.Order!.properties!.craft!.discriminator!.mapping).toEqual({
      Ship: '#/types/Ship',
      Barge: '#/types/Barge',
    });
    expect(c.types.Tug!.properties!.masters!.xml).toEqual({ wrapped: true, name: 'masters' });
    expect(Object.keys(c.types).sort()).toEqual(['Barge', 'Craft', 'Order', 'Ship', 'Tug']);
    expect(c.typePlaces!.Tug).toMatchObject({ file: 'api/types.yaml' });
    expect(op(c, 'orderTow').place!.line).toBeGreaterThan(15);
  });

  test('OpenAPI 2.0: host, body, form and file parameters, collection formats', () => {
    const two = readOpenApi({
      entry: 'a.json',
      files: {
        'a.json': JSON.stringify({
          swagger: '2.0',
          info: { title: 'Two', version: '1' },
          host: 'h.example',
          basePath: '/v1',
          schemes: ['https'],
          consumes: ['application/json'],
          produces: ['application/json'],
          paths: {
            '/p/{id}': {
              get: {
                parameters: [
                  { name: 'id', in: 'path', type: 'integer', required: true },
                  { name: 'tags', in: 'query', type: 'array', items: { type: 'string' }, collectionFormat: 'pipes' },
                ],
                responses: { 200: { description: 'ok', schema: { $ref: '#/definitions/P' } } },
              },
              post: {
                parameters: [{ name: 'b', in: 'body', required: true, schema: { $ref: '#/definitions/P' } }],
                responses: { 204: { description: 'x' } },
              },
            },
          },
          definitions: { P: { type: 'object', properties: { a: { type: 'string', 'x-nullable': true } } } },
        }),
      },
    });
    expect(two.addresses).toEqual(['https://h.example/v1']);
    expect(op(two, 'get_p_id').http!.parameters[1]).toMatchObject({ style: 'pipeDelimited', explode: false });
    expect(op(two, 'post_p_id').http!.request).toMatchObject({
      required: true,
      media: [{ mediaType: 'application/json', schema: { $ref: '#/types/P' } }],
    });
    expect(two.types.P!.properties!.a!.type).toEqual(['string', 'null']);
  });

  test('3.1 as it is, and names that must be changed are told', () => {
    const c31 = readOpenApi({
      entry: 'a.yaml',
      files: {
        'a.yaml':
          'openapi: 3.1.0\ninfo: {title: T, version: "1"}\npaths:\n  /a/{x}:\n    get:\n      operationId: get a!\n      responses: {default: {description: d, content: {text/plain: {schema: {type: [string, "null"]}}}}}\n',
      },
    });
    expect(c31.operations[0]!.id).toBe('get_a_');
    expect(c31.findings.map((f) => f.code).sort()).toEqual(['HNG-123', 'HNG-125']);
    expect(c31.operations[0]!.reply!.body).toEqual({ type: ['string', 'null'] });
  });

  test.each([
    ['no version', '{"info":{}}', 'HNG-122'],
    ['a version nobody knows', 'openapi: 4.0.0\npaths: {}', 'HNG-122'],
    ['broken JSON', '{"openapi":', 'HNG-121'],
    ['broken YAML', 'openapi: "3.0.0\npaths: [', 'HNG-121'],
    ['no operation', 'openapi: 3.0.0\ninfo: {title: t, version: "1"}\npaths: {}', 'HNG-124'],
    [
      'a reference to nothing',
      'openapi: 3.0.0\ninfo: {title: t, version: "1"}\npaths: {/a: {get: {responses: {200: {$ref: "#/components/responses/X"}}}}}',
      'HNG-115',
    ],
    [
      'a reference in a circle',
      'openapi: 3.0.0\ninfo: {title: t, version: "1"}\npaths: {/a: {get: {parameters: [{$ref: "#/components/parameters/A"}], responses: {}}}}\ncomponents: {parameters: {A: {$ref: "#/components/parameters/B"}, B: {$ref: "#/components/parameters/A"}}}',
      'HNG-116',
    ],
    [
      'a file that is missing',
      'openapi: 3.0.0\ninfo: {title: t, version: "1"}\npaths: {/a: {get: {responses: {200: {description: x, content: {application/json: {schema: {$ref: "other.yaml#/X"}}}}}}}}',
      'HNG-112',
    ],
    [
      'aliases that explode',
      `openapi: 3.0.0\na: &a [x,x,x,x,x,x,x,x,x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a,*a]\nc: &c [*b,*b,*b,*b,*b,*b,*b,*b,*b]\nd: &d [*c,*c,*c,*c,*c,*c,*c,*c,*c]\npaths: {}`,
      'HNG-121',
    ],
  ])('%s', (_name, text, code) => {
    expect(() => readContract({ entry: 'a.yaml', files: { 'a.yaml': text } })).toThrow(
      expect.objectContaining({ finding: expect.objectContaining({ code }) as unknown }) as unknown as Error,
    );
  });

  test('schemas that refer to each other in a circle end; a schema that is only itself allows anything', () => {
    const c2 = readOpenApi({
      entry: 'a.yaml',
      files: {
        'a.yaml':
          'openapi: 3.0.0\ninfo: {title: t, version: "1"}\npaths: {/a: {get: {responses: {200: {description: x, content: {application/json: {schema: {$ref: "#/components/schemas/A"}}}}}}}}\ncomponents: {schemas: {A: {$ref: "#/components/schemas/B"}, B: {$ref: "#/components/schemas/A"}}}',
      },
    });
    expect(new ValidatorSet(c2.types).check(c2.operations[0]!.reply!.body, { any: 1 })).toEqual([]);
  });

  test('documents that it refers to are gathered', async () => {
    const got = await collectContract('api/tow.yaml', {}, (location) =>
      Promise.resolve(source.files[location as 'api/tow.yaml']),
    );
    expect(Object.keys(got.files).sort()).toEqual(['api/tow.yaml', 'api/types.yaml']);
  });
});

describe('drafted as REST', () => {
  const document: FlowDocument = draftFor(readOpenApi(source), source, undefined, {
    address: 'http://backend.example',
  });
  const api = compileApi(document);
  const operation = (id: string) => [...api.operations.values()][0]!.find((o) => o.id === id)!;
  const sent: BackendRequest[] = [];
  const call = async (id: string, sample: SampleRequest, reply: { status: number; type?: string; body?: string }) => {
    sent.length = 0;
    const outcome = await operation(id).handle(incomingOf(operation(id), '/tow-desk', sample), {
      ports: {
        clock: { now: () => 0 },
        backends: {
          send: (r) => {
            sent.push(r);
            return Promise.resolve({
              status: reply.status,
              headers: (reply.type ? { 'content-type': reply.type } : {}) as Record<string, string>,
              body: reply.body === undefined ? Body.empty() : Body.ofText(reply.body, reply.type),
            });
          },
        },
      },
      env: {},
      traceId: 't',
      outbound: {},
    });
    const m = outcome.reply;
    return {
      status: m.status,
      type: m.headers['content-type'],
      text: m.body.text(),
      inner: outcome.refusal?.options.inner,
    };
  };

  test('has no findings, keeps methods, paths, parameters and other replies', () => {
    expect(checkDocument(document).filter((f) => f.severity === 'error')).toEqual([]);
    expect(document.operations.listTugs!.parameters!.map((p) => p.name)).toEqual(['X-Office', 'free', 'pull', 'names']);
    expect(Object.keys(document.operations.orderTow!.otherReplies!)).toEqual(['409']);
  });

  test('parameters go on in the style that the backend wants', async () => {
    const r = await call(
      'listTugs',
      { headers: { 'X-Office': 'TH' }, query: { free: true, 'pull[min]': 3, names: 'a,b c' } },
      { status: 200, type: 'application/json', body: '[{"id":"T1","bollardPull":65.50}]' },
    );
    expect(r).toMatchObject({ status: 200, type: 'application/json', text: '[{"id":"T1","bollardPull":65.50}]' });
    expect(sent[0]!.url).toBe('http://backend.example/tugs?free=true&pull%5Bmin%5D=3&names=a,b%20c');
    expect(sent[0]!.headers).toMatchObject({ 'x-office': 'TH', accept: 'application/json' });
  });

  test('XML of a backend becomes JSON, and XML again for whoever asks', async () => {
    const reply = {
      status: 200,
      type: 'application/xml',
      body: '<tug id="T1"><bollardPull>65.50</bollardPull><masters><master>Ann</master></masters></tug>',
    };
    expect((await call('get_tugs_id', { path: { id: 'a/b' } }, reply)).text).toBe(
      '{"id":"T1","bollardPull":65.50,"masters":["Ann"]}',
    );
    expect(sent[0]!.url).toBe('http://backend.example/tugs/a%2Fb');
    const xml = await call('get_tugs_id', { path: { id: '1' }, headers: { accept: 'application/xml' } }, reply);
    expect([xml.type, xml.text]).toEqual(['application/xml', `<?xml version="1.0" encoding="UTF-8"?>\n${reply.body}`]);
  });

  test('an XML request is read by the schema; its mistakes have pointers into the JSON', async () => {
    const send = (body: string) =>
      call(
        'orderTow',
        { headers: { 'X-Office': 'T', 'content-type': 'application/xml' }, body },
        { status: 201, type: 'application/json', body: '{"tug":"a","length":1}' },
      );
    expect((await send('<Order><tug>a</tug><length>12.50</length></Order>')).status).toBe(201);
    expect(sent[0]!.body.text()).toBe('{"tug":"a","length":12.50}');
    const bad = await send('<Order><tug>a</tug><length>x</length></Order>');
    expect([bad.status, JSON.parse(bad.text)]).toMatchObject([400, { errors: [{ pointer: '/length' }] }]);
    expect((await send('<Order><tug>')).status).toBe(400);
  });

  test('a guard that need not read refuses before a body is read', async () => {
    const small = { ...document, guards: [{ kind: 'size' as const, maxBytes: 10 }, ...document.guards!] };
    const tight = [...compileApi(small).operations.values()][0]!.find((o) => o.id === 'orderTow')!;
    const broken = {
      headers: { 'X-Office': 'T', 'content-type': 'application/xml', 'content-length': '23' },
      body: '<Order><tug>not closed',
    };
    const outcome = await tight.handle(incomingOf(tight, '/tow-desk', broken), {
      ports: { clock: { now: () => 0 }, backends: { send: () => Promise.reject(new Error('no call')) } },
      env: {},
      traceId: 't',
      outbound: {},
    });
    expect(outcome.reply.status).toBe(413);
  });

  test.each([
    [404, undefined, undefined, 404],
    [409, 'application/json', '{"message":"taken"}', 409],
    [422, 'application/json', '{"message":"no"}', 422],
    [401, 'application/json', '{}', 502],
    [500, 'text/plain', 'boom', 502],
    [200, 'application/json', '{"tug":1}', 502],
    [201, 'application/json', '{"tug":1}', 502],
    [201, 'text/html', '<html>', 502],
    [201, 'application/json', '{"tug":', 502],
    [202, 'application/json', '{"tug":"a","length":1}', 502],
  ])('a backend that answers %s %s %s gives the caller %s', async (status, type, body, want) => {
    const r = await call(
      'orderTow',
      { headers: { 'X-Office': 'T' }, body: { tug: 'a', length: 1 } },
      { status, type, body },
    );
    expect(r.status).toBe(want);
    expect(r.text).not.toContain('backend.example');
  });

  test('export, read again, says the same', () => {
    const exported = writeJson(exportOpenApi(document));
    const again = readContract({ entry: 'x.json', files: { 'x.json': exported } });
    expect(again.operations.map((o) => `${o.id} ${o.http!.method} ${o.http!.path}`)).toEqual(
      readOpenApi(source).operations.map((o) => `${o.id} ${o.http!.method} ${o.http!.path}`),
    );
    expect(op(again, 'listTugs').http!.parameters.find((p) => p.name === 'pull')).toMatchObject({
      style: 'deepObject',
    });
    expect(op(again, 'orderTow').http!.replies.map((r) => r.status)).toEqual(
      expect.arrayContaining(['201', '400', '409', 'default']),
    );
  });
});

describe('the validator agrees with ajv (JSON Schema 2020-12)', () => {
  const schema = {
    type: 'object',
    patternProperties: { '^x-': { type: 'string' } },
    properties: {
      a: { type: 'integer' },
      t: { prefixItems: [{ type: 'string' }], items: { type: 'number' } },
      l: { contains: { const: 1 }, maxContains: 2 },
    },
    dependentRequired: { a: ['b'] },
    if: { required: ['kind'] },
    then: { properties: { size: { minimum: 3 } } },
    else: { properties: { size: { maximum: 2 } } },
    additionalProperties: { type: 'boolean' },
  };
  const ours = (v: unknown) => new ValidatorSet({}).check(schema as never, v).length === 0;
  const ajv = new Ajv2020({ strict: false }).compile(schema);

  test.each([
    [{}],
    [{ 'x-a': 's' }],
    [{ 'x-a': 1 }],
    [{ a: 1 }],
    [{ a: 1, b: true }],
    [{ z: true }],
    [{ z: 1 }],
    [{ t: ['a', 1, 2] }],
    [{ t: [1] }],
    [{ t: ['a', 'b'] }],
    [{ l: [1] }],
    [{ l: [2] }],
    [{ l: [1, 1, 1] }],
    [{ kind: true, size: 5 }],
    [{ kind: true, size: 1 }],
    [{ size: 1 }],
    [{ size: 5 }],
  ])('%j', (v) => expect(ours(v)).toBe(ajv(v)));
});
