import { describe, expect, test } from '@jest/globals';
import { printSchema } from 'graphql';
import { checkDocument, compareContracts, draftFor, readOpenApi, sampleOf, writeJson, type FlowDocument } from '../src';
import { ask } from './ask-world';
import { graphOf } from '../src/graph/graph';
import { replySide, requestSide, requestTypes } from '../src/schema';

/** OpenAPI 3.0.3 §4.7.24.2: a required member that is readOnly is required in replies alone, one that is writeOnly in requests alone. */
const PILOTS = `openapi: 3.0.3
info: { title: Pilots, version: "1" }
paths:
  /pilots:
    post:
      operationId: add
      requestBody: { required: true, content: { application/json: { schema: { $ref: '#/components/schemas/Senior' } }, application/xml: { schema: { $ref: '#/components/schemas/Senior' } } } }
      responses: { '200': { description: ok, content: { application/json: { schema: { $ref: '#/components/schemas/Senior' } } } } }
  /inline:
    put:
      operationId: set
      requestBody: { content: { application/json: { schema: { type: object, required: [id, name], properties: { id: { type: integer, readOnly: true }, name: { type: string } } } } } }
      responses: { '200': { description: ok, content: { application/json: { schema: { type: object, required: [id, code], properties: { id: { type: integer }, code: { type: string, writeOnly: true } } } } } } }
components:
  schemas:
    Id: { type: integer, readOnly: true }
    Pilot: { type: object, required: [id, name, code], properties: { id: { $ref: '#/components/schemas/Id' }, name: { type: string }, code: { type: string, writeOnly: true } } }
    Senior: { allOf: [{ $ref: '#/components/schemas/Pilot' }, { type: object, required: [id, since], properties: { since: { type: string, format: date, readOnly: true } } }] }
`;
const source = { entry: 'p.yaml', files: { 'p.yaml': PILOTS } };
const contract = readOpenApi(source);
const drafted: FlowDocument = draftFor(contract, source, undefined, { address: 'http://backend.example' });

async function run(operation: string, body: unknown, reply: unknown, d = drafted, mediaType?: string) {
  const headers = mediaType ? { 'content-type': mediaType } : undefined;
  const r = await ask(d, operation, { body, headers }, { text: writeJson(reply) });
  const errors = r.errors?.map((e) => e.split(':')[0]);
  return { ...r, errors, sent: r.sent?.body.text(), body: JSON.parse(r.text) as unknown };
}

describe('members that only replies have, or only requests', () => {
  const came = { id: 1, name: 'A', since: '2026-01-01' };
  test('a request need not have what only replies have, but may; a reply need not have what only requests have', async () => {
    expect(await run('add', { name: 'A', code: 'x' }, came)).toMatchObject({
      status: 200,
      sent: '{"name":"A","code":"x"}',
      body: came,
    });
    expect(await run('add', { ...came, code: 'x' }, { ...came, code: 'x' })).toMatchObject({ status: 200 });
    expect(await run('set', { name: 'A' }, { id: 1 })).toMatchObject({ status: 200 });
  });
  test('each is required where it belongs', async () => {
    expect((await run('add', {}, came)).errors).toEqual(['/name required', '/code required']);
    expect(await run('add', { name: 'A', code: 'x' }, { name: 'A' })).toMatchObject({
      status: 502,
      inner: '/id id is missing; /since since is missing',
    });
    expect((await run('set', {}, {})).errors).toEqual(['/name required']);
    expect((await run('set', { name: 'A' }, {})).inner).toContain('/id id is missing');
  });
  test('in XML too', async () => {
    const xml = (inner: string) => `<Senior>${inner}</Senior>`;
    expect(await run('add', xml('<name>A</name><code>x</code>'), came, drafted, 'application/xml')).toMatchObject({
      status: 200,
      sent: '{"name":"A","code":"x"}',
    });
    expect((await run('add', xml('<code>x</code>'), came, drafted, 'application/xml')).errors).toEqual([
      '/name missing',
    ]);
    const onlyXml = PILOTS.replace(
      "application/json: { schema: { $ref: '#/components/schemas/Senior' } }, application/xml",
      'application/xml',
    );
    const s = { entry: 'p.yaml', files: { 'p.yaml': onlyXml } };
    const d = draftFor(readOpenApi(s), s, undefined, { address: 'http://backend.example' });
    const r = await run('add', { name: 'A', code: 'x' }, came, d);
    expect(r.sent).toContain('<name>A</name><code>x</code>');
  });
  test('samples, examples and maps follow; a map that fills nothing but those of requests is whole', () => {
    const { types } = contract;
    const ref = { $ref: '#/types/Senior' };
    expect(Object.keys(sampleOf(ref, types, { without: 'readOnly' }) as object)).toEqual(['name', 'code']);
    expect(Object.keys(sampleOf(ref, types, { without: 'writeOnly' }) as object)).toEqual(['id', 'name', 'since']);
    expect(drafted.cases!.find((c) => c.operation === 'add')!.request.body).toEqual({ name: 'name', code: 'code' });
    const d = structuredClone(drafted);
    d.operations.add!.flow[0] = {
      kind: 'map',
      to: { backend: Object.keys(d.backends!)[0]!, operation: 'add' },
      fields: ['name', 'code'].map((n) => ({ to: `/body/${n}`, from: `body.${n}` })),
    };
    d.operations.add!.request!.examples = { one: { value: { name: 'A', code: 'x' } } };
    d.operations.add!.reply!.examples = { one: { value: came } };
    expect(checkDocument(d).map((f) => f.code)).toEqual([]);
    d.operations.add!.flow[0].fields!.pop();
    d.operations.add!.reply!.examples = { one: { value: { name: 'A', code: 'x' } } };
    expect(checkDocument(d).map((f) => `${f.code} ${f.message}`)).toEqual([
      expect.stringMatching(/^HNG-303 code of add/) as unknown,
      expect.stringMatching(/^HNG-324 .*\/id id is missing/) as unknown,
    ]);
  });
  test('samples of a draft know every type, whichever operation needs it first', () => {
    const text = PILOTS.replace(
      'components:',
      `  /boats:
    post:
      operationId: boat
      requestBody: { content: { application/json: { schema: { $ref: '#/components/schemas/Boat' } } } }
      responses: { '204': { description: ok } }
components:`,
    ).replace(
      '    Pilot: {',
      "    Boat: { type: object, required: [id, mark], properties: { id: { $ref: '#/components/schemas/Id' }, mark: { $ref: '#/components/schemas/Mark' } } }\n    Mark: { type: string, maxLength: 3 }\n    Pilot: {",
    );
    const s = { entry: 'p.yaml', files: { 'p.yaml': text } };
    const cases = draftFor(readOpenApi(s), s).cases!;
    expect(cases.find((c) => c.operation === 'boat')!.request.body).toEqual({ mark: expect.any(String) as unknown });
  });
  test('a graph takes the one in and gives the other out', () => {
    const sdl = printSchema(graphOf({ ...drafted, doors: [{ ...drafted.doors[0]!, answers: 'graphql' }] }).schema);
    const fields = (start: string) => new RegExp(`${start} {\n([^}]*)}`).exec(sdl)?.[1]?.trim().split(/\n\s*/);
    expect(fields('input SeniorInput')).toEqual(['name: String!', 'code: String!']);
    expect(fields('type Senior')).toEqual(['id: Int!', 'name: String!', 'since: Date!']);
  });
  test('a newer contract that only marks a member so breaks nobody', () => {
    const without = PILOTS.replace('Id: { type: integer, readOnly: true }', 'Id: { type: integer }');
    const older = readOpenApi({ entry: 'p.yaml', files: { 'p.yaml': without } });
    expect(compareContracts(older, contract).map((c) => `${c.place} ${c.words} ${c.judged}`)).toEqual([
      expect.stringMatching(/^request .*id.* safe$/) as unknown,
    ]);
  });
  test('nothing is copied where nothing is marked', () => {
    const types = { A: { type: 'object' as const, required: ['a'], properties: { a: { type: 'string' as const } } } };
    expect(requestTypes(types)).toBe(types);
    expect([requestSide(types.A, types), replySide(types.A, types)]).toEqual([types.A, types.A]);
    expect(requestSide(types.A, types)).toBe(types.A);
    expect(requestTypes(contract.types)).toBe(requestTypes(contract.types));
  });
});

describe('a schema that only wraps another', () => {
  const types = readOpenApi({
    entry: 'w.yaml',
    files: {
      'w.yaml': `openapi: 3.0.3
info: { title: W, version: "1" }
paths: { /w: { get: { operationId: w, responses: { '200': { description: ok, content: { application/json: { schema: { $ref: '#/components/schemas/W' } } } } } } } }
components:
  schemas:
    Boat: { type: object, required: [kind], discriminator: { propertyName: kind }, properties: { kind: { type: string } } }
    Tug: { allOf: [{ $ref: '#/components/schemas/Boat' }, { type: object, properties: { pull: { type: number } } }] }
    Same: { allOf: [{ $ref: '#/components/schemas/Boat' }] }
    W:
      type: object
      properties:
        a: { description: A, readOnly: true, allOf: [{ $ref: '#/components/schemas/W' }] }
        b: { nullable: true, oneOf: [{ $ref: '#/components/schemas/W' }] }
        c: { anyOf: [{ type: string, maxLength: 3 }], x-note: c, nullable: true }
        d: { allOf: [{ $ref: '#/components/schemas/W' }], maxProperties: 2 }
        f: { nullable: true, allOf: [{ type: string, enum: [x] }], example: x }
        e: { allOf: [{ $ref: '#/components/schemas/Boat' }], xml: { name: E } }
`,
    },
  }).types;
  test('is that one, with what stands beside it; where it demands more it stays', () => {
    const W = { $ref: '#/types/W' };
    expect(types.W!.properties).toEqual({
      a: { ...W, description: 'A', readOnly: true },
      b: { anyOf: [W, { type: 'null' }] },
      c: { type: ['string', 'null'], maxLength: 3 },
      d: { allOf: [W], maxProperties: 2 },
      f: { type: ['string', 'null'], enum: ['x', null], examples: ['x'] },
      // Any boat is meant, as by a reference alone.
      e: { $ref: '#/types/AnyBoat', xml: { name: 'E' } },
    });
  });
  test('but a type that extends another by nothing is a form of it', () => {
    expect(types.Same).toEqual({ allOf: [{ $ref: '#/types/Boat' }] });
    expect(types.AnyBoat!.oneOf).toEqual(['Tug', 'Same', 'Boat'].map((n) => ({ $ref: `#/types/${n}` })));
  });
});

describe('nullable of 3.0 without a type beside it', () => {
  const open = (schema: string) =>
    readOpenApi({
      entry: 'n.yaml',
      files: {
        'n.yaml': `openapi: 3.0.3
info: { title: N, version: "1" }
paths: { /n: { get: { operationId: n, responses: { '200': { description: ok, content: { application/json: { schema: ${schema} } } } } } } }
components: { schemas: { Boat: { type: object, properties: { name: { type: string } } }, Car: { type: object, required: [wheels] } } }
`,
      },
    }).operations[0]!.reply!.body;
  const BOAT = { $ref: '#/types/Boat' };
  const NULL = { type: 'null' };
  test.each<[string, object]>([
    [
      "{ nullable: true, allOf: [{ $ref: '#/components/schemas/Boat' }], description: B }",
      { description: 'B', anyOf: [BOAT, NULL] },
    ],
    ["{ nullable: true, $ref: '#/components/schemas/Boat' }", { anyOf: [BOAT, NULL] }],
    [
      "{ nullable: true, oneOf: [{ $ref: '#/components/schemas/Boat' }, { $ref: '#/components/schemas/Car' }] }",
      { anyOf: [{ oneOf: [BOAT, { $ref: '#/types/Car' }] }, NULL] },
    ],
    ['{ nullable: true, type: string, enum: [a] }', { type: ['string', 'null'], enum: ['a', null] }],
    ['{ nullable: true }', {}],
    ["{ allOf: [{ $ref: '#/components/schemas/Boat' }] }", { allOf: [BOAT] }],
  ])('%s', (schema, wanted) => {
    expect(open(schema)).toEqual(wanted);
  });
});
