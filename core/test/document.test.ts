import { describe, expect, test } from '@jest/globals';
import Ajv from 'ajv/dist/2020';
import addFormats from 'ajv-formats';
import fc from 'fast-check';
import {
  CODES,
  documentJsonSchema,
  draftRest,
  exportOpenApi,
  findingText,
  FlowDocumentSchema,
  planProblems,
  planRest,
  printXml,
  readDocument,
  readWsdl,
  writeDocument,
  type FlowDocument,
} from '../src';
import { plural, readName, words } from '../src/draft';
import { MIGRATIONS } from '../src/flow/migrate';
import { berths } from './files';

const source = berths();
const contract = readWsdl(source);
const document = draftRest(contract, source);

describe('the flow document', () => {
  test('a round trip through YAML changes nothing, and the second text is the first', () => {
    const text = writeDocument(document);
    const read = readDocument(text);
    expect(read.document).toEqual(document);
    expect(writeDocument(read.document!)).toBe(text);
  });

  test('JSON is read like YAML', () => {
    expect(readDocument(JSON.stringify(document)).document).toEqual(document);
  });

  test('it is valid by its published JSON Schema, judged by ajv', () => {
    const judge = new Ajv({ strict: false }).compile(documentJsonSchema() as object);
    expect({ ok: judge(JSON.parse(JSON.stringify(document))), errors: judge.errors }).toEqual({
      ok: true,
      errors: null,
    });
    expect(judge({ ...document, colour: 1 })).toBe(false);
  });

  test.each([
    ['neither YAML nor JSON', 'a: [1\nb: 2', 'HNG-201', undefined],
    ['a list', '- 1', 'HNG-202', ''],
    ['an unknown member', writeDocument(document).replace('hinge: 1', 'hinge: 1\ncolour: red'), 'HNG-202', '/colour'],
    [
      'a step of an unknown kind',
      writeDocument(document).replace('kind: call', 'kind: shout'),
      'HNG-202',
      '/operations/FindBerths/flow/1/kind',
    ],
    ['a later format', writeDocument(document).replace('hinge: 1', 'hinge: 99'), 'HNG-203', '/hinge'],
    ['the same key twice', 'hinge: 1\nhinge: 1', 'HNG-201', undefined],
  ])('%s is told with its place', (_name, text, code, pointer) => {
    let found;
    try {
      found = readDocument(text, 'f.hinge.yaml').findings[0];
    } catch (e) {
      found = (e as { finding: { code: string; place: { pointer?: string; file?: string; line?: number } } }).finding;
    }
    expect(found).toMatchObject({ code, place: { file: 'f.hinge.yaml', line: expect.any(Number) } });
    if (pointer !== undefined) expect(found!.place.pointer).toBe(pointer);
  });

  test('a billion laughs in YAML is refused', () => {
    const bomb = `a: &a [x,x,x,x,x,x,x,x,x]\n${['b', 'c', 'd', 'e', 'f', 'g'].map((k, i) => `${k}: &${k} [${Array(9).fill(`*${'abcdef'[i]}`).join(',')}]`).join('\n')}`;
    expect(() => readDocument(bomb)).toThrow(/alias/i);
  });

  test('an older format is brought up to date', () => {
    const old = { hinge: 0, api: { name: 'A', version: '1', basePath: '/a' }, operations: {} };
    expect(readDocument(JSON.stringify(old)).document).toMatchObject({
      hinge: 1,
      doors: [{ name: 'public', path: '/a' }],
    });
    expect(Object.keys(MIGRATIONS)).toEqual(['0']);
  });
});

describe('codes', () => {
  test('every code has words and a remedy, and a finding is one line', () => {
    for (const [code, row] of Object.entries(CODES)) {
      expect(code).toMatch(/^HNG-\d{3}$/);
      expect(row.title.length).toBeGreaterThan(5);
      expect(row.remedy).toMatch(/\.$/);
    }
    expect(
      findingText({
        code: 'HNG-301',
        severity: 'error',
        message: 'no address',
        remedy: 'Give one.',
        place: { file: 'a.yaml', line: 3, pointer: '/x' },
      }),
    ).toBe('HNG-301 error at a.yaml, line 3, /x: no address. Give one.');
  });
});

describe('drafting', () => {
  test.each([
    ['GetBerthByCode', { intent: 'get', noun: ['berth'], by: ['code'] }],
    ['ListAllVessels', { intent: 'find', noun: ['vessels'] }],
    ['getWSDLInfo', { intent: 'get', noun: ['wsdl', 'info'] }],
    ['reserve_berth', { intent: 'create', noun: ['berth'], result: 'reservation' }],
    ['Compute', { intent: 'act', noun: ['compute'] }],
    ['Get', { intent: 'get', noun: [] }],
  ])('%s is read as a verb and a noun', (name, want) => expect(readName(name)).toMatchObject(want));

  test.each([
    ['berth', 'berths'],
    ['city', 'cities'],
    ['box', 'boxes'],
    ['status', 'status'],
    ['quay', 'quays'],
    ['vessels', 'vessels'],
    ['person', 'people'],
  ])('the plural of %s is %s', (one, many) => expect(plural(one)).toBe(many));

  test('property: a name is split into words that together are its letters', () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[A-Za-z]{1,30}$/), (s) => expect(words(s).join('')).toBe(s.toLowerCase())),
      { seed: 1 },
    );
  });

  test('clashes, wrong paths and bodies that cannot be are told at their row', () => {
    const plan = planRest(contract);
    expect(planProblems(plan).size).toBe(0);
    plan[1]!.path = '/berths';
    plan[2]!.method = 'GET';
    plan[5]!.id = plan[6]!.id;
    plan[4]!.path = 'no slash';
    const told = planProblems(plan);
    expect(told.get('GetBerth')).toEqual(
      expect.arrayContaining([
        'GET /berths is also the path of FindBerths',
        'id goes to the path, but the path has no {id}',
      ]),
    );
    expect(told.get('ReserveBerth')!.join()).toContain('GET has no body');
    expect(told.get('ListReservations')!.join()).toContain('used twice');
    expect(told.get('CancelReservation')!.join()).toContain('starts with /');
  });

  test('a plan that was changed is what is drafted', () => {
    const plan = planRest(contract).filter((r) => r.operation === 'GetBerth');
    Object.assign(plan[0]!, {
      id: 'oneBerth',
      path: '/b',
      status: 203,
      fields: plan[0]!.fields.map((f) => (f.name === 'id' ? { ...f, name: 'which', place: 'query' } : f)),
    });
    const made = draftRest(contract, source, plan, { base: '/x', address: 'http://a.test/' });
    expect(made.operations).toEqual({
      oneBerth: expect.objectContaining({
        method: 'GET',
        path: '/b',
        parameters: expect.arrayContaining([expect.objectContaining({ name: 'which', in: 'query', required: true })]),
      }),
    });
    expect(made.operations.oneBerth!.flow[0]).toMatchObject({
      fields: expect.arrayContaining([{ to: '/body/id', from: 'query.which' }]),
    });
    expect(made.doors[0]!.path).toBe('/x');
    expect(FlowDocumentSchema.safeParse(made).success).toBe(true);
  });
});

describe('the exported OpenAPI document', () => {
  const exported = exportOpenApi(document, { server: 'http://127.0.0.1:4320' }) as {
    openapi: string;
    paths: Record<string, Record<string, { operationId: string; parameters?: { name: string; in: string }[] }>>;
    servers: unknown;
    components: { schemas: Record<string, object> };
  };

  test('names operations by their ids, parameters by their places, and the server', () => {
    expect(exported.openapi).toBe('3.1.0');
    expect(exported.servers).toEqual([{ url: 'http://127.0.0.1:4320/berths/v1' }]);
    const ids = Object.values(exported.paths).flatMap((p) => Object.values(p).map((o) => o.operationId));
    expect(ids.sort()).toEqual(contract.operations.map((o) => o.id).sort());
    expect(exported.paths['/berths/{id}']!.get!.parameters!.map((p) => `${p.in} ${p.name}`)).toEqual([
      'path id',
      'header officeCode',
    ]);
  });

  test('every schema compiles in ajv and every reference leads somewhere', () => {
    const ajv = new Ajv({ strict: false });
    addFormats(ajv);
    ajv.addSchema(exported, 'openapi');
    for (const name of Object.keys(exported.components.schemas))
      expect(() => ajv.getSchema(`openapi#/components/schemas/${name}`)).not.toThrow();
    const text = JSON.stringify(exported);
    for (const [, name] of text.matchAll(/#\/components\/schemas\/([^"]+)/g))
      expect(Object.keys(exported.components.schemas)).toContain(name);
    expect(text).not.toContain('#/types/');
  });

  test('the xml object says how each property stands in XML', () => {
    const berth = exported.components.schemas.Berth as { properties: Record<string, { xml: object }> };
    expect(berth.properties.number!.xml).toEqual({ name: 'number', attribute: true });
    expect(berth.properties.quay!.xml).toEqual({ name: 'quay', namespace: 'urn:tarnhaven:berths:2' });
    expect((exported.components.schemas.Reservation as typeof berth).properties.cargo!.xml).toMatchObject({
      wrapped: true,
    });
  });
});

test('XML is laid out for reading without inventing text', () => {
  expect(printXml('<a x="1>2"><b>t</b><c/><!-- n --><d><e>1</e></d></a>')).toBe(
    '<a x="1>2">\n  <b>t</b>\n  <c/>\n  <!-- n -->\n  <d>\n    <e>1</e>\n  </d>\n</a>',
  );
  expect(printXml('no xml <')).toBeDefined();
});

test('a document that lacks everything optional is whole', () => {
  const least: FlowDocument = { hinge: 1, api: { name: 'A', version: '1' }, doors: [], operations: {} };
  expect(readDocument(writeDocument(least)).document).toEqual(least);
});
