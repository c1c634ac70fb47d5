import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { type JsonSchema } from '../src';
import { mediaCodec } from '../src/codec/media';
import { base64, bytes, sent } from './multipart-world';

/** multipart/form-data; the judge is the reader and writer of the platform (`Response.formData`, `new Request({ body: FormData })` of Node: undici). */

const FORM: JsonSchema = {
  type: 'object',
  required: ['file'],
  properties: {
    file: { type: 'string', contentMediaType: 'application/octet-stream' },
    meta: { type: 'object', properties: { title: { type: 'string' } }, required: ['title'] },
    pages: { type: 'integer' },
    final: { type: 'boolean' },
    scans: { type: 'array', items: { type: 'string', format: 'binary' } },
    tags: { type: 'array', items: { type: 'string' } },
  },
};
const codec = (schema?: JsonSchema, encoding?: Record<string, string>) =>
  mediaCodec('multipart/form-data', { schema, encoding })!;
const received = (written: { text: string; mediaType?: string }): Promise<FormData> =>
  new Response(Buffer.from(bytes(written.text)), { headers: { 'content-type': written.mediaType! } }).formData();

describe('a form of parts as JSON', () => {
  test('what a browser sends: files with names and types, numbers and truth by the schema, lists of one and of many', async () => {
    const form = new FormData();
    form.append('file', new File([Uint8Array.of(0, 255, 13, 10, 45, 45)], 'Ümlaut "1".png', { type: 'image/png' }));
    form.append('meta', new Blob(['{"title":"Grüße","size":9007199254740993}'], { type: 'application/json' }));
    form.append('pages', '12');
    form.append('final', 'true');
    form.append('scans', new File(['a'], 'a.txt', { type: 'text/plain' }));
    form.append('tags', 'one');
    form.append('tags', 'zwei\r\n--');
    const { text, mediaType } = await sent(form);
    const read = codec(FORM).read(text, mediaType);
    expect(read.faults).toEqual([]);
    expect(JSON.parse(JSON.stringify(read.value))).toMatchObject({
      file: { data: base64(0, 255, 13, 10, 45, 45), filename: 'Ümlaut "1".png', mediaType: 'image/png' },
      meta: { title: 'Grüße' },
      pages: 12,
      final: true,
      scans: [{ data: base64(97), filename: 'a.txt' }],
      tags: ['one', 'zwei\r\n--'],
    });
    expect(mediaCodec('application/json')!.write(read.value).text).toContain('9007199254740993');
  });

  test('what is written a browser reads', async () => {
    const value = {
      file: { data: base64(0, 255, 13, 10), filename: 'Ümlaut "1".png', mediaType: 'image/png' },
      meta: { title: 'Grüße' },
      pages: 12,
      final: false,
      scans: [{ data: '' }, { data: base64(1) }],
      tags: ['one', 'zwei'],
    };
    const written = codec(FORM, { tags: 'text/plain; charset=utf-8' }).write(value);
    expect(written.faults).toEqual([]);
    const form = await received(written);
    const file = form.get('file') as File;
    expect([file.name, file.type, Buffer.from(await file.arrayBuffer())]).toEqual([
      'Ümlaut "1".png',
      'image/png',
      Buffer.from([0, 255, 13, 10]),
    ]);
    expect([form.get('pages'), form.get('final'), form.getAll('tags')]).toEqual(['12', 'false', ['one', 'zwei']]);
    expect(await (form.get('meta') as unknown as Blob | string).toString()).toBe('{"title":"Grüße"}');
    expect(form.getAll('scans').map((s) => (s as File).size)).toEqual([0, 1]);
    const again = codec(FORM).read(written.text, written.mediaType);
    expect(again.value).toEqual({
      ...value,
      scans: [
        { data: '', filename: 'scans', mediaType: 'application/octet-stream' },
        { data: base64(1), filename: 'scans', mediaType: 'application/octet-stream' },
      ],
    });
  });

  test('any names, texts and bytes survive, read by us and by the platform', async () => {
    const text = fc.string({ unit: 'binary', maxLength: 30 });
    const file = fc.record({
      data: fc.uint8Array({ maxLength: 60 }).map((b) => Buffer.from(b).toString('base64')),
      filename: text.filter((t) => t !== ''),
      mediaType: fc.constantFrom('image/png', 'application/octet-stream'),
    });
    const member = fc.oneof(text, file, fc.array(text, { minLength: 2, maxLength: 4 }));
    const forms = fc.dictionary(
      text.filter((t) => t !== '' && t !== '__proto__'),
      member,
      { maxKeys: 5, noNullPrototype: true },
    );
    await fc.assert(
      fc.asyncProperty(forms, async (form) => {
        // What a browser cannot tell apart in a name is not asked for (HTML: %22, %0D, %0A).
        fc.pre(
          !/%22|%0D|%0A|\\/i.test(
            JSON.stringify(Object.keys(form)) +
              JSON.stringify(Object.values(form).map((v) => (v as { filename?: string }).filename ?? '')),
          ),
        );
        const written = codec().write(form);
        expect(codec().read(written.text, written.mediaType).value).toEqual(form);
        if (Object.keys(form).length) expect([...(await received(written)).keys()].length).toBeGreaterThan(0);
      }),
      { numRuns: 300, seed: 5 },
    );
  });

  test('RFC 7578 and RFC 2046: preamble and epilogue, padding behind a boundary, folded and small headers, charsets, unquoted names', () => {
    const text = [
      'This is the preamble.',
      '--AaB03x  ',
      'content-disposition: form-data;',
      ' name=field1',
      '',
      'Joe owes =E2=82=AC100.',
      '--AaB03x',
      'Content-Disposition: form-data; name="old"',
      'Content-Type: text/plain; charset=iso-8859-1',
      '',
      'Gr\u00fc\u00dfe',
      '--AaB03x',
      'Content-Disposition: form-data; name=""; filename=""',
      '',
      '',
      '--AaB03x--',
      'epilogue',
    ].join('\r\n');
    expect(codec().read(text, 'multipart/form-data; charset=x; boundary="AaB03x"').value).toEqual({
      field1: 'Joe owes =E2=82=AC100.',
      old: 'Grüße',
      '': { data: '', filename: '' },
    });
    expect(codec().read('--x--\r\n', 'multipart/form-data; boundary=x').value).toEqual({});
  });

  test.each<[string, string, string, RegExp]>([
    ['no boundary', 'a=1', 'multipart/form-data', /names no boundary/],
    ['another boundary', '--x--', 'multipart/form-data; boundary=y', /does not stand in it/],
    ['an empty one', '--x--', 'multipart/form-data; boundary=""', /one to 70/],
    [
      'one cut off',
      '--x\r\nContent-Disposition: form-data; name=a\r\n\r\nabc',
      'multipart/form-data; boundary=x',
      /part 1 is cut off/,
    ],
    [
      'a part without a name',
      '--x\r\nA: b\r\n\r\nabc\r\n--x--',
      'multipart/form-data; boundary=x',
      /part 1 has no name/,
    ],
    ['no header', '--x\r\nabc\r\n--x--', 'multipart/form-data; boundary=x', /part 1 has no header/],
    ['a boundary that goes on', '--xy\r\n\r\n', 'multipart/form-data; boundary=x', /does not begin behind/],
    [
      'a strange charset',
      '--x\r\nContent-Disposition: form-data; name=a\r\nContent-Type: text/plain; charset=none\r\n\r\n\r\n--x--',
      'multipart/form-data; boundary=x',
      /charset none/,
    ],
    [
      'too many parts',
      `${'--x\r\nContent-Disposition: form-data; name=a\r\n\r\n\r\n'.repeat(1001)}--x--`,
      'multipart/form-data; boundary=x',
      /more than 1000/,
    ],
    [
      'a header without end',
      `--x\r\nA: ${'b'.repeat(20_000)}\r\n\r\nc\r\n--x--`,
      'multipart/form-data; boundary=x',
      /no header, or one that is too long/,
    ],
  ])('%s is told', (_what, text, mediaType, words) => {
    expect(() => codec().read(text, mediaType)).toThrow(words);
  });

  test('a part that should be JSON and is none, and values that do not fit, are told with their places', () => {
    const part = (name: string, content: string) =>
      `--x\r\nContent-Disposition: form-data; name=${name}\r\n\r\n${content}\r\n`;
    const read = (...parts: string[]) => codec(FORM).read(`${parts.join('')}--x--`, 'multipart/form-data; boundary=x');
    expect(() => read(part('meta', '{'))).toThrow(/the part meta is no JSON/);
    expect(read(part('meta', '{}'), part('pages', 'many')).faults.map((f) => [f.pointer, f.kind])).toEqual([
      ['/file', 'missing'],
      ['/meta/title', 'missing'],
      ['/pages', 'type'],
    ]);
    const faults = (value: unknown) =>
      codec(FORM)
        .write(value)
        .faults.map((f) => [f.pointer, f.words]);
    expect(faults({ file: { data: '%%%' } })).toEqual([['/file', 'data must be base64 (RFC 4648 §4)']]);
    expect(faults({ file: 'text' })[0]![0]).toBe('/file');
    expect(faults([])[0]![1]).toMatch(/object/);
  });

  test('a media type with line ends is none: nobody writes a header through it', () => {
    const { text } = codec().write({ f: { data: '', mediaType: 'a/b\r\nX: y', filename: 'a"\r\nX: y' } });
    expect(text).not.toMatch(/\r\nX:/);
    expect(text).toContain('filename="a%22%0D%0AX: y"');
  });
});
