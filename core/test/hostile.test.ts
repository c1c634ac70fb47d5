import { describe, expect, test } from '@jest/globals';
import { mediaHostile } from './hostile-world';

/** What an attacker, or a broken backend, may send: refused within bounds of time and memory, with words that say what is wrong. */
describe.each(mediaHostile)('$name', ({ run, words }) => {
  test('is refused with words', () => {
    const before = process.memoryUsage().heapUsed;
    expect(run).toThrow(words);
    expect(process.memoryUsage().heapUsed - before).toBeLessThan(300 * 2 ** 20);
  });
});
