import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { queryValues } from '../src';

/** What the platform's own reader says, in our form. */
function oracle(search: string): [string, string | string[]][] {
  const all = new URLSearchParams(search);
  return [...new Set(all.keys())].map((name) => {
    const values = all.getAll(name);
    return [name, values.length === 1 ? values[0]! : values];
  });
}

describe('a query string as values', () => {
  test.each([
    '',
    '?',
    '?a=1',
    '?a=1&a=2&b',
    '?a=1&&b=2&',
    '?=x',
    '?a==b=c',
    '?a=%20b+c',
    '?a=ü',
    '?constructor=1&toString=2&__proto__=3&__proto__=4',
    '?hasOwnProperty=x',
    '?a=1?b=2',
  ])('%s', (search) => {
    expect(Object.entries(queryValues(search))).toEqual(oracle(search));
    expect(Object.getPrototypeOf(queryValues(search))).toBe(Object.prototype);
  });

  test('any text is read as URLSearchParams reads it', () => {
    const part = fc.oneof(fc.string(), fc.constantFrom('a', 'b=', '&', '=', '%41', '+', '~', '__proto__', 'valueOf'));
    fc.assert(
      fc.property(fc.array(part, { maxLength: 8 }), (parts) => {
        const search = `?${parts.join('')}`;
        expect(Object.entries(queryValues(search)).sort()).toEqual(oracle(search).sort());
      }),
      { seed: 41, numRuns: 500 },
    );
  });
});
