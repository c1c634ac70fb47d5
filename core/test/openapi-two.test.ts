import { describe, expect, test } from '@jest/globals';
import {
  Body,
  compileApi,
  draftFor,
  incomingOf,
  readJson,
  readOpenApi,
  sampleOf,
  ValidatorSet,
  writeJson,
  type Contract,
} from '../src';
import { mediaCodec } from '../src/codec/media';

const CARGO = `swagger: "2.0"
info: { title: Cargo desk, version: "3" }
host: 127.0.0.1:1
basePath: /cargo
consumes: [application/xml]
produces: [application/xml]
parameters:
  Lot: { name: lot, in: body, required: true, description: The lot, schema: { $ref: '#/definitions/Lot' } }
  Note: { name: note, in: formData, type: string, maxLength: 10, pattern: '^[a-z]+$' }
  Office: { name: X-Office, in: header, type: string, required: true }
responses:
  Bad: { description: Refused, schema: { $ref: '#/definitions/Problem' } }
paths:
  /lots:
    parameters:
      - $ref: '#/parameters/Office'
    post:
      operationId: addLot
      parameters: [{ $ref: '#/parameters/Lot' }]
      responses: { "201": { description: Made, schema: { $ref: '#/definitions/Lot' } }, "422": { $ref: '#/responses/Bad' } }
  /lots/{id}:
    get:
      operationId: getLot
      produces: [application/json, application/xml]
      parameters: [{ name: id, in: path, type: integer, required: true }]
      responses: { "200": { description: Lot, schema: { $ref: '#/definitions/Lot' } } }
    put:
      operationId: setLot
      consumes: [application/json, application/xml]
      parameters: [{ name: id, in: path, type: integer, required: true }, { name: lot, in: body, schema: { $ref: '#/definitions/Lot' } }]
      responses: { "204": { description: Done } }
  /lots/{id}/photo:
    parameters: [{ $ref: '#/parameters/Note' }, { name: id, in: path, type: integer, required: true }]
    post:
      operationId: addPhoto
      parameters:
        - { name: photo, in: formData, type: file, required: true }
        - { name: sizes, in: formData, type: array, maxItems: 2, items: { type: integer, maximum: 3 } }
      responses: { "204": { description: Done } }
    put:
      operationId: setNote
      parameters: [{ name: note, in: formData, type: string, required: true, minLength: 2 }]
      responses: { "204": { description: Done } }
definitions:
  Lot:
    type: object
    required: [mark]
    xml: { name: lot, namespace: 'urn:cargo', prefix: c }
    properties:
      id: { type: integer, xml: { attribute: true } }
      mark: { type: string }
      owner: { $ref: '#/definitions/Party' }
      others: { type: array, xml: { wrapped: true }, items: { $ref: '#/definitions/Party', xml: { name: other } } }
  Party: { type: object, discriminator: kind, required: [kind], properties: { kind: { type: string }, name: { type: string } } }
  Firm: { allOf: [{ $ref: '#/definitions/Party' }, { type: object, required: [vat], properties: { vat: { type: integer } } }] }
  BigFirm: { allOf: [{ $ref: '#/definitions/Firm' }, { type: object, properties: { seats: { type: array, items: { type: integer } } } }] }
  Problem: { type: object, properties: { why: { type: string } }, additionalProperties: false }
`;

const source = { entry: 'cargo.yaml', files: { 'cargo.yaml': CARGO } };
const contract: Contract = readOpenApi(source);
const op = (id: string) => contract.operations.find((o) => o.id === id)!;
const faultsOf = (type: string, value: unknown) =>
  new ValidatorSet(contract.types).check({ $ref: `#/types/${type}` }, value).map((f) => `${f.pointer} ${f.code}`);

describe('OpenAPI 2.0: what an operation says goes before what the document says', () => {
  const replies = (id: string) =>
    op(id).http!.replies.map((r) => `${r.status} ${r.media.map((m) => m.mediaType).join(', ')}`);
  test('media types of replies and bodies', () => {
    expect([replies('addLot'), replies('getLot')]).toEqual([
      ['201 application/xml', '422 application/xml'],
      ['200 application/json, application/xml'],
    ]);
    const bodies = (id: string) => op(id).http!.request?.media.map((m) => m.mediaType);
    expect([bodies('addLot'), bodies('setLot')]).toEqual([
      ['application/xml'],
      ['application/json', 'application/xml'],
    ]);
  });
  test('bodies and replies that are only referred to', () => {
    expect(op('addLot').http!.request).toMatchObject({ required: true });
    expect(op('addLot').http!.replies[1]!.media[0]!.schema).toEqual({ $ref: '#/types/Problem' });
    expect(op('addLot').http!.parameters.map((p) => `${p.in} ${p.name}`)).toEqual(['header X-Office']);
  });
  test('fields of forms keep their rules; those of the path are of each operation, unless it has its own', () => {
    const form = (id: string) => op(id).http!.request!.media[0]!;
    expect(form('addPhoto')).toMatchObject({
      mediaType: 'multipart/form-data',
      schema: {
        required: ['photo'],
        properties: {
          note: { type: 'string', maxLength: 10, pattern: '^[a-z]+$' },
          sizes: { type: 'array', maxItems: 2, items: { type: 'integer', maximum: 3 } },
        },
      },
    });
    expect(form('setNote')).toMatchObject({
      mediaType: 'application/x-www-form-urlencoded',
      schema: { required: ['note'], properties: { note: { minLength: 2 } } },
    });
    expect(op('setNote').http!.parameters.map((p) => p.name)).toEqual(['id']);
  });
});

describe('schemas that extend one with a discriminator (3.1 §4.8.25) are its forms', () => {
  test('where it is referred to, any of them is meant; where they extend it, it is meant itself', () => {
    expect(contract.types.Lot!.properties!.owner).toEqual({ $ref: '#/types/AnyParty' });
    expect(contract.types.Firm!.allOf![0]).toEqual({ $ref: '#/types/Party' });
    expect(contract.types.AnyParty).toEqual({
      oneOf: [{ $ref: '#/types/Firm' }, { $ref: '#/types/BigFirm' }, { $ref: '#/types/Party' }],
      discriminator: {
        propertyName: 'kind',
        mapping: { Firm: '#/types/Firm', BigFirm: '#/types/BigFirm', Party: '#/types/Party' },
      },
    });
  });
  test('and stand where the document has them', () => {
    const line = (text: string) => CARGO.split('\n').findLastIndex((l) => l.startsWith(text)) + 1;
    const at = (type: string) => contract.typePlaces![type]!.line;
    expect([at('Lot'), at('Firm'), at('AnyParty')]).toEqual([line('  Lot:') + 1, line('  Firm:'), line('  Party:')]);
  });
  test('each is held against its own form', () => {
    expect(faultsOf('Lot', { mark: 'a', owner: { kind: 'Firm', vat: 7 } })).toEqual([]);
    expect(faultsOf('Lot', { mark: 'a', owner: { kind: 'Firm' } })).toEqual(['/owner/vat required']);
    expect(faultsOf('Lot', { mark: 'a', owner: { kind: 'BigFirm', vat: 7, seats: ['x'] } })).toEqual([
      '/owner/seats/0 type',
    ]);
    expect(faultsOf('Lot', { mark: 'a', owner: { kind: 'Bogus' } })).toEqual(['/owner/kind enum']);
    expect(faultsOf('Lot', { mark: 'a', owner: { name: 'x' } })).toEqual(['/owner/kind required']);
  });
  test('a sample says which form it is', () => {
    const sample = sampleOf({ $ref: '#/types/Lot' }, contract.types);
    expect(faultsOf('Lot', sample)).toEqual([]);
    expect(sample).toMatchObject({ owner: { kind: 'Firm' } });
  });
});

describe('XML by a JSON Schema', () => {
  const codec = mediaCodec('application/xml', { schema: { $ref: '#/types/Lot' }, types: contract.types })!;
  const wrong = (faults: readonly { pointer: string }[]) => faults.map((f) => f.pointer);

  test('forms are typed there too, and come back the same', () => {
    const value = readJson(
      '{"id":5,"mark":"a","owner":{"kind":"BigFirm","name":"Ölm","vat":7,"seats":[1,2]},"others":[{"kind":"Party"}]}',
    );
    const written = codec.write(value);
    expect(wrong(written.faults)).toEqual([]);
    expect(written.text).toContain(
      '<owner><kind>BigFirm</kind><name>Ölm</name><vat>7</vat><seats>1</seats><seats>2</seats></owner>',
    );
    const read = codec.read(written.text);
    expect([wrong(read.faults), JSON.parse(writeJson(read.value))]).toEqual([[], JSON.parse(writeJson(value))]);
  });

  test('what an open schema does not name goes both ways in the general form', () => {
    const value = readJson('{"mark":"a","more":{"a":["1","2"],"@b":"c"},"seals":["x","y"],"empty":""}');
    const written = codec.write(value);
    expect(wrong(written.faults)).toEqual([]);
    expect(written.text).toContain(
      '<more b="c"><a>1</a><a>2</a></more><seals>x</seals><seals>y</seals><empty></empty></n1:lot>',
    );
    expect(JSON.parse(writeJson(codec.read(written.text).value))).toMatchObject(JSON.parse(writeJson(value)) as object);
    const text = '<c:lot xmlns:c="urn:cargo" xmlns:x="urn:x" id="5" old="1"><mark>a</mark><x:seal>1</x:seal></c:lot>';
    const other = codec.read(text);
    expect([wrong(other.faults), JSON.parse(writeJson(other.value))]).toEqual([
      [],
      { id: 5, '@old': '1', mark: 'a', seal: '1' },
    ]);
    expect(codec.write(other.value).text).toContain(
      '<n1:lot xmlns:n1="urn:cargo" id="5" old="1"><mark>a</mark><seal>1',
    );
  });

  test('what a closed one does not name is told, as is a name that XML cannot have', () => {
    const closed = mediaCodec('application/xml', { schema: { $ref: '#/types/Problem' }, types: contract.types })!;
    expect(wrong(closed.read('<Problem><why>a</why><how>b</how></Problem>').faults)).toEqual(['']);
    expect(wrong(closed.write({ why: 'a', how: 'b' }).faults)).toEqual(['/how']);
    expect(wrong(codec.write({ mark: 'a', 'no name': 1 }).faults)).toEqual(['/no name']);
  });
});

describe('a REST door over an XML backend', () => {
  const document = draftFor(contract, source, undefined, { address: 'http://backend.example' });
  const get = [...compileApi(document).operations.values()][0]!.find((o) => o.id === 'getLot')!;
  const ask = async (type: string, bytes: Uint8Array, accept: string) => {
    const reply = { status: 200, headers: { 'content-type': type }, body: Body.ofBytes(bytes, type) };
    const { reply: m, refusal } = await get.handle(
      incomingOf(get, '/cargo', { path: { id: 5 }, headers: { accept } }),
      {
        ports: { clock: { now: () => 0 }, backends: { send: () => Promise.resolve(reply) } },
        env: {},
        traceId: 't',
        outbound: {},
      },
    );
    return [m.status, m.headers['content-type'], refusal?.options.inner ?? m.body.text()];
  };
  const lot = (name: string, encoding = '') =>
    `${encoding && `<?xml version="1.0" encoding="${encoding}"?>`}<c:lot xmlns:c="urn:cargo" id="5"><mark>M</mark><owner><kind>Party</kind><name>${name}</name></owner></c:lot>`;
  const JSON_LOT = '{"id":5,"mark":"M","owner":{"kind":"Party","name":"Ölm"}}';

  test.each([
    ['application/xml', lot('Ölm', 'ISO-8859-1'), 'latin1'],
    ['text/xml; charset=iso-8859-1', lot('Ölm'), 'latin1'],
    ['text/xml', lot('Ölm'), 'utf8'],
    ['application/xml', `\ufeff${lot('Ölm', 'UTF-16')}`, 'utf16le'],
    ['application/json', JSON_LOT, 'utf8'],
  ] as const)('%s of any encoding, and text/xml for application/xml: %#', async (type, text, encoding) => {
    const bytes = Buffer.from(text, encoding);
    expect(await ask(type, bytes, 'application/json')).toEqual([200, 'application/json', JSON_LOT]);
    const [status, said, xml] = await ask(type, bytes, 'application/xml');
    expect([status, said]).toEqual([200, 'application/xml']);
    expect(xml).toContain('<name>Ölm</name>');
  });

  test('what is of another kind than was promised is not taken', async () => {
    expect(await ask('text/html', Buffer.from('<p>Hello</p>'), 'application/json')).toEqual([
      502,
      'application/problem+json',
      '/ content type text/html for status 200; application/json or application/xml was expected',
    ]);
  });
});
