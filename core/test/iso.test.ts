import { afterEach, expect, jest, test } from '@jest/globals';
import { isoNow } from '../src/iso';

afterEach(() => {
  jest.useRealTimers();
});

test('a moment is written as Date writes it, in whatever order moments come', () => {
  jest.useFakeTimers({ doNotFake: ['setTimeout', 'setImmediate', 'nextTick'] });
  for (const now of [0, 7, 7, 42, 999, 1000, 86_399_999, 1_796_000_000_123, 1_796_000_000_009, 1_796_000_001_000, 5]) {
    jest.setSystemTime(now);
    expect(isoNow()).toBe(new Date(now).toISOString());
    expect(isoNow()).toBe(new Date(now).toISOString());
  }
});
