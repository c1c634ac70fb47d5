import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { shortDecimal } from '../src/codec/xml/numbers';
import { writeJson } from '../src/codec/json';
import { Digits } from '../src/message/digits';
import { plainObjects, setMember } from '../src/message/objects';

describe('JSON in one line', () => {
  test('is what JSON.stringify says, for any value and any text', () => {
    const strings = fc.string({ unit: 'binary', maxLength: 200 });
    const json = fc.jsonValue({ depthSize: 'medium', stringUnit: 'binary' });
    fc.assert(
      fc.property(json, strings, (value, s) => {
        for (const v of [value, s, { [s]: value }]) expect(writeJson(v)).toBe(JSON.stringify(v));
      }),
      { seed: 61, numRuns: 500 },
    );
  });

  test.each([
    ['nothing at all', undefined, 'null'],
    ['members without a form', { a: undefined, b: () => 1, c: Symbol('c'), d: [undefined] }, '{"d":[null]}'],
    ['no members', {}, '{}'],
    ['digits', [new Digits('118.50'), new Digits('1e400')], '[118.50,1e400]'],
    ['no number', [NaN, Infinity, -0], '[null,null,0]'],
    ['big numbers', 12345678901234567890n, '12345678901234567890'],
    ['a lone surrogate', '\ud800', '"\\ud800"'],
    ['a long one', `${'x'.repeat(100)}\udc00`, `"${'x'.repeat(100)}\\udc00"`],
    ['a member that none must take for a prototype', JSON.parse('{"__proto__":1}'), '{"__proto__":1}'],
  ])('%s', (_name, value, expected) => {
    expect(writeJson(value)).toBe(expected);
  });

  test('members that write JSON when they are read', () => {
    const value = {
      a: 1,
      get b() {
        return writeJson({ c: 2 });
      },
    };
    expect(writeJson(value)).toBe('{"a":1,"b":"{\\"c\\":2}"}');
  });
});

describe('short decimals', () => {
  /** As JSON wants them (RFC 8259 §6), without those that JavaScript writes with an exponent. */
  const SHORT = /^-?(?:0|[1-9]\d{0,7})\.(?!0{5})\d{1,7}$/;

  test('are the doubles that Number makes of them, and nothing else is one', () => {
    const digits = (min: number, max: number) =>
      fc.string({ unit: fc.constantFrom(...'0001234567899'), minLength: min, maxLength: max });
    const near = fc
      .tuple(fc.constantFrom('', '-', '+', '--'), digits(0, 9), fc.constantFrom('.', '', '..', 'e'), digits(0, 8))
      .map((parts) => parts.join(''));
    let short = 0;
    fc.assert(
      fc.property(near, (t) => {
        const fits = SHORT.test(t);
        if (fits) short++;
        expect(shortDecimal(t)).toBe(fits ? Number(t) : NaN);
      }),
      { seed: 62, numRuns: 20_000 },
    );
    expect(short).toBeGreaterThan(1_000);
  });

  test.each(['', '-', '.', '1', '1.', '.5', '01.5', '1.5 ', '1,5', '123456789.5', '1.12345678', '0.0000012', '１.5'])(
    '%j is none',
    (t) => expect(shortDecimal(t)).toBeNaN(),
  );
});

test('plain objects are that, with whatever members', () => {
  const Plain = plainObjects();
  const names = Array.from({ length: 40 }, (_, i) => `m${i}`).concat('__proto__', 'constructor');
  for (let n = 0; n < 30; n++) {
    const object = new Plain();
    const same: Record<string, unknown> = {};
    for (const name of names.slice(n)) {
      setMember(object, name, n);
      setMember(same, name, n);
    }
    expect(Object.getPrototypeOf(object)).toBe(Object.prototype);
    expect(Object.keys(object)).toEqual(Object.keys(same));
    expect(structuredClone(object)).toEqual(same);
    expect(writeJson(object)).toBe(JSON.stringify(same));
  }
  expect(Object.keys(Object.prototype)).toEqual([]);
});
