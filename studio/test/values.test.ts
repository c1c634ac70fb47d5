import { describe, expect, test } from '@jest/globals';
import { readJson, type ShownMessage } from '@hinge/core';
import { brief, formatWords, layout, rowsOfValue, sizeWords, valueOf, valuesAt } from '../features/fold/values';

const value = readJson(
  '{"body":{"a/b":1,"list":[{"k":"x"},{"k":"y"}],"n":0.90,"none":null,"empty":[],"words":["p","q"],"deep":{"z":true}},"headers":{"location":"/r/1"}}',
);

describe('what a tree shows', () => {
  test.each([
    ['/body/n', '0.90'],
    ['/body/a~1b', '1'],
    ['/body/list', '2 items'],
    ['/body/list/*/k', 'x, y'],
    ['/body/none', 'null'],
    ['/body/empty', '0 items'],
    ['/body/words', 'p, q'],
    ['/body/deep', ''],
    ['/body/deep/z', 'true'],
    ['/body/gone/x', ''],
    ['/headers/Location', '/r/1'],
  ])('%s is "%s"', (pointer, want) => expect(brief(valuesAt(value, pointer))).toBe(want));

  test('many values are cut', () => expect(brief([1, 2, 3, 4, 5, 6])).toBe('1, 2, 3, 4 …'));

  test('rows are made of a message without a type, digits are leaves', () => {
    expect(rowsOfValue(value).map((r) => `${'-'.repeat(r.depth)}${r.pointer} ${r.words}`)).toEqual([
      '/body/a~1b number',
      '/body/list list',
      '-/body/list/0 object',
      '--/body/list/0/k string',
      '-/body/list/1 object',
      '--/body/list/1/k string',
      '/body/n number',
      '/body/none null',
      '/body/empty list',
      '/body/words list',
      '-/body/words/0 string',
      '-/body/words/1 string',
      '/body/deep object',
      '-/body/deep/z boolean',
    ]);
    expect(rowsOfValue({ body: 'text' })).toEqual([]);
    expect(rowsOfValue({ body: Array.from({ length: 9000 }, () => 1) }).length).toBeLessThanOrEqual(5001);
  });
});

describe('a shown message', () => {
  const message = (m: Partial<ShownMessage>): ShownMessage => ({ headers: {}, bytes: 1, ...m });

  test('SOAP has its JSON form beside it, JSON is read with its digits, the rest is text', () => {
    expect(valueOf(message({ valueText: '{"body":{"id":1},"soapHeader":{"c":"x"}}' }))).toMatchObject({
      body: { id: 1 },
      soapHeader: { c: 'x' },
    });
    expect(brief(valuesAt(valueOf(message({ mediaType: 'application/json', text: '{"n":7.10}' })), '/body/n'))).toBe(
      '7.10',
    );
    expect(valueOf(message({ mediaType: 'application/json', text: '{broken' }))).toMatchObject({ body: '{broken' });
    expect(valueOf(message({}), { path: { id: '7' }, query: { q: 'x' } })).toMatchObject({
      path: { id: '7' },
      query: { q: 'x' },
    });
    expect(valueOf(undefined)).toBeUndefined();
  });

  test('is laid out by its format; what cannot be is shown as it is', () => {
    expect(layout(message({ mediaType: 'application/problem+json', text: '{"a":0.10}' }))).toBe('{\n  "a": 0.10\n}');
    expect(layout(message({ mediaType: 'text/xml', text: '<a><b/></a>' }))).toBe('<a>\n  <b/>\n</a>');
    expect(layout(message({ mediaType: 'application/json', text: '{' }))).toBe('{');
    expect(layout(undefined)).toBe('');
  });

  test('is named by its format and size', () => {
    expect([
      formatWords(message({ format: 'SOAP 1.1' })),
      formatWords(message({ format: 'problem', mediaType: 'application/problem+json' })),
      formatWords(message({ mediaType: 'text/csv; charset=utf-8' })),
      formatWords(message({})),
    ]).toEqual(['SOAP 1.1', 'problem', 'text/csv', 'no body']);
    expect([sizeWords(9), sizeWords(20_480), sizeWords(3_145_728)]).toEqual(['9 bytes', '20 KB', '3.0 MB']);
  });
});
