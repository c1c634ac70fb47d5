import { describe, expect, test } from '@jest/globals';
import {
  Body,
  checkDocument,
  compileApi,
  draftFor,
  exportOpenApi,
  readOpenApi,
  showMessage,
  typeFlow,
  type BackendRequest,
  type FlowDocument,
} from '../src';
import { mediaCodec } from '../src/codec/media';
import { base64, bytes, sent } from './multipart-world';

const OPENAPI = `openapi: 3.0.3
info: { title: Vault, version: '1' }
servers: [{ url: 'http://127.0.0.1:9911' }]
paths:
  /documents:
    post:
      operationId: addDocument
      requestBody:
        required: true
        content:
          multipart/form-data:
            encoding: { meta: { contentType: application/vnd.vault+json } }
            schema:
              type: object
              required: [file]
              properties:
                file: { type: string, format: binary, description: The scan }
                meta: { type: object, properties: { title: { type: string } } }
                pages: { type: integer }
      responses: { '201': { description: made, content: { application/json: { schema: { type: object } } } } }
  /raw:
    put:
      operationId: putRaw
      requestBody: { required: true, content: { application/octet-stream: { schema: { type: string, format: binary } } } }
      responses: { '204': { description: done } }
`;
const draft = (): FlowDocument => {
  const source = { entry: 'v.yaml', files: { 'v.yaml': OPENAPI } };
  const contract = readOpenApi(source);
  return draftFor(contract, source, undefined, { base: '/v' });
};

describe('an operation whose body is a form of parts', () => {
  const ask = async (d: FlowDocument, body: Body, contentType: string, path = '/documents', method = 'POST') => {
    const seen: BackendRequest[] = [];
    const entry = [...compileApi(d).operations.values()][0]!.find((o) => o.path === path)!;
    const { reply } = await entry.handle(
      {
        ...{ method, url: `/v${path}`, path: {}, query: {}, search: '', rest: '' },
        headers: { 'content-type': contentType },
        body,
      },
      {
        ports: {
          clock: { now: () => 0 },
          backends: {
            send: (r) => {
              seen.push(r);
              return Promise.resolve({
                status: 201,
                headers: { 'content-type': 'application/json' },
                body: Body.ofText('{}', 'application/json'),
              });
            },
          },
        },
        env: {},
        traceId: 't',
        outbound: {},
      },
    );
    // eslint-disable-next-line @typescript-eslint/no-explicit-any -- looked at from outside
    return { status: reply.status, value: reply.body.isEmpty ? undefined : (reply.body.value() as any), seen };
  };
  const got = (r: BackendRequest): Promise<FormData> =>
    new Response(Buffer.from(r.body.bytes()), { headers: { 'content-type': r.headers['content-type']! } }).formData();

  test('is drafted whole, without a finding, and so is one of bytes', () => {
    expect(checkDocument(draft())).toEqual([]);
    expect(draft().operations.addDocument!.request).toMatchObject({
      mediaType: 'multipart/form-data',
      required: true,
      encoding: { meta: 'application/vnd.vault+json' },
    });
    const again = readOpenApi({ entry: 'o.json', files: { 'o.json': JSON.stringify(exportOpenApi(draft())) } });
    expect(again.operations.find((o) => o.id === 'addDocument')!.http!.request!.media).toMatchObject([
      { mediaType: 'multipart/form-data', encoding: { meta: 'application/vnd.vault+json' } },
    ]);
  });

  test('its case is JSON that becomes a form; a map sees its files as objects, and needs to join none of them', async () => {
    const d = draft();
    const { body } = d.cases!.find((c) => c.operation === 'addDocument')!.request;
    expect(body).toMatchObject({ file: { data: expect.any(String) }, pages: expect.any(Number) });
    const text = JSON.stringify(body);
    const { status, seen } = await ask(d, Body.ofText(text, 'application/json'), 'application/json');
    expect(status).toBe(201);
    expect((await got(seen[0]!)).get('file')).toBeInstanceOf(File);
    const [map] = typeFlow(d, 'addDocument');
    const rows = (all: NonNullable<typeof map>['before']) =>
      all.map((r) => `${r.pointer}${r.required ? ' needed' : ''}`);
    expect(rows(map!.before)).toContain('/body/file/data needed');
    expect(rows(map!.after)).toContain('/body/file/data');
    expect(rows(map!.after).filter((r) => r.endsWith('needed'))).toEqual([]);
    const joined = structuredClone(d);
    Object.assign(joined.operations.addDocument!.flow[0]!, { fields: [{ to: '/body/pages', from: '1' }] });
    expect(rows(typeFlow(joined, 'addDocument')[0]!.after)).toContain('/body/file/data needed');
  });

  test('what comes as a form goes on byte by byte, and is held against its schema', async () => {
    const form = new FormData();
    form.append('file', new File([Uint8Array.of(0, 255)], 'a.png'));
    const { text, mediaType } = await sent(form);
    const raw = bytes(text);
    const { status, seen } = await ask(draft(), Body.ofBytes(raw, mediaType), mediaType);
    expect(status).toBe(201);
    expect(seen[0]!.headers['content-type']).toBe(mediaType);
    expect(Buffer.from(seen[0]!.body.bytes())).toEqual(Buffer.from(raw));
    const d = { ...draft(), guards: [{ kind: 'schema' as const }] };
    expect((await ask(d, Body.ofBytes(raw, mediaType), mediaType)).status).toBe(201);
    const empty = await sent(new FormData());
    const refused = await ask(d, Body.ofBytes(bytes(empty.text), empty.mediaType), empty.mediaType);
    expect([refused.status, refused.value.errors, refused.seen.length]).toEqual([
      400,
      [expect.objectContaining({ pointer: '/file', code: 'missing' })],
      0,
    ]);
    expect((await ask(d, Body.ofBytes(bytes('x'), mediaType), mediaType)).status).toBe(400);
  });

  test('what comes as JSON becomes a form; files are objects with their bytes', async () => {
    const value = {
      file: { data: base64(0, 255), filename: 'Plan ä.pdf', mediaType: 'application/pdf' },
      meta: { title: 'ß' },
      pages: 3,
    };
    const { status, seen } = await ask(
      draft(),
      Body.ofText(JSON.stringify(value), 'application/json'),
      'application/json',
    );
    expect(status).toBe(201);
    const form = await got(seen[0]!);
    const file = form.get('file') as File;
    expect([file.name, file.type, [...new Uint8Array(await file.arrayBuffer())]]).toEqual([
      'Plan ä.pdf',
      'application/pdf',
      [0, 255],
    ]);
    expect(form.get('pages')).toBe('3');
    const wrong = await ask(draft(), Body.ofText('{"file":{"data":"%"}}', 'application/json'), 'application/json');
    expect([wrong.status, wrong.value.errors]).toEqual([400, [expect.objectContaining({ pointer: '/file' })]]);
  });

  test('a map makes parts from anywhere, with the content types of the contract', async () => {
    const d = draft();
    const o = d.operations.addDocument!;
    o.request = {
      mediaType: 'application/json',
      required: true,
      schema: { type: 'object', properties: { scan: { type: 'string' }, name: { type: 'string' } } },
    };
    Object.assign(o.flow[0]!, {
      fields: [
        { to: '/body/file/data', from: 'body.scan' },
        { to: '/body/file/filename', from: 'body.name' },
        { to: '/body/meta/title', from: 'body.name' },
      ],
    });
    expect(checkDocument(d).filter((f) => f.severity === 'error')).toEqual([]);
    const { seen } = await ask(
      d,
      Body.ofText(JSON.stringify({ scan: base64(7), name: 'n' }), 'application/json'),
      'application/json',
    );
    const form = await got(seen[0]!);
    expect((form.get('file') as File).name).toBe('n');
    expect(seen[0]!.body.text()).toContain('Content-Type: application/vnd.vault+json');
  });

  test('is shown with its parts as a tree, and as text', async () => {
    const form = new FormData();
    form.append('file', new File([Uint8Array.of(0, 255)], 'Plan ä.png', { type: 'image/png' }));
    const { text, mediaType } = await sent(form);
    const shown = showMessage({ headers: { 'content-type': mediaType }, body: Body.ofBytes(bytes(text), mediaType) });
    expect(shown.text).toContain('filename="Plan ä.png"');
    expect(JSON.parse(shown.valueText!)).toEqual({
      body: { file: { data: base64(0, 255), filename: 'Plan ä.png', mediaType: 'image/png' } },
    });
    const cut = showMessage({ headers: {}, body: Body.ofBytes(bytes(text), mediaType) }, undefined, 40);
    expect([cut.cut, cut.text!.length, cut.valueText]).toEqual([true, 40, undefined]);
    expect(showMessage({ headers: {}, body: Body.ofText('--', 'multipart/form-data') })).toMatchObject({
      text: '--',
      bytes: 2,
    });
  });

  test('what a person writes as a form goes out in UTF-8', async () => {
    const d = { ...draft(), guards: [] };
    const text = '--x\r\nContent-Disposition: form-data; name="note"\r\n\r\nß €\r\n--x--\r\n';
    const mediaType = 'multipart/form-data; boundary=x';
    const { seen } = await ask(d, Body.ofText(text, mediaType), mediaType);
    expect((await got(seen[0]!)).get('note')).toBe('ß €');
    expect(showMessage({ headers: {}, body: Body.ofText(text, mediaType) }).text).toBe(text);
    expect(mediaCodec(mediaType)!.read(text, mediaType).value).toEqual({ note: 'ß €' });
  });

  test('a flow reads parts by their names, and a step makes JSON of them, or a form', async () => {
    const d = draft();
    const o = d.operations.addDocument!;
    o.flow = [
      { kind: 'convert', to: 'json' },
      {
        kind: 'map',
        to: 'reply',
        fields: [{ to: '/body', from: '{"name": body.file.filename, "title": body.meta.title, "pages": body.pages}' }],
      },
    ];
    const form = new FormData();
    form.append('file', new File(['x'], 'a.png'));
    form.append('meta', '{"title":"T"}');
    form.append('pages', '4');
    const { text, mediaType } = await sent(form);
    expect((await ask(d, Body.ofBytes(bytes(text), mediaType), mediaType)).value).toEqual({
      name: 'a.png',
      title: 'T',
      pages: 4,
    });
    o.flow = [
      { kind: 'convert', to: 'multipart' },
      { kind: 'call', backend: Object.keys(d.backends!)[0]!, path: '/documents' },
    ];
    o.request = { mediaType: 'application/json', schema: {} };
    const { seen } = await ask(d, Body.ofText('{"a":"1","f":{"data":"AA=="}}', 'application/json'), 'application/json');
    const made = await got(seen[0]!);
    expect([made.get('a'), (made.get('f') as File).size]).toEqual(['1', 1]);
  });
});
