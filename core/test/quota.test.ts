import { describe, expect, test } from '@jest/globals';
import { readDocument } from '../src';
import { periodOf } from '../src/guards/quota/guard';

describe('the calendar of a quota', () => {
  test.each([
    ['hour', '2026-12-04T10:59:59.999Z', '2026-12-04T10:00:00.000Z', '2026-12-04T11:00:00.000Z'],
    ['day', '2026-12-04T00:00:00.000Z', '2026-12-04T00:00:00.000Z', '2026-12-05T00:00:00.000Z'],
    ['week', '2026-12-06T23:59:59.000Z', '2026-11-30T00:00:00.000Z', '2026-12-07T00:00:00.000Z'],
    ['week', '2026-12-07T00:00:00.000Z', '2026-12-07T00:00:00.000Z', '2026-12-14T00:00:00.000Z'],
    ['month', '2026-12-31T23:59:59.000Z', '2026-12-01T00:00:00.000Z', '2027-01-01T00:00:00.000Z'],
    ['month', '2028-02-29T12:00:00.000Z', '2028-02-01T00:00:00.000Z', '2028-03-01T00:00:00.000Z'],
  ] as const)('the %s of %s', (each, at, from, to) => {
    const p = periodOf(each, Date.parse(at));
    expect([new Date(p.from).toISOString(), new Date(p.to).toISOString()]).toEqual([from, to]);
  });

  // Summer time of the European Union ends on 25 October 2026 at 01:00 UTC and begins on 28 March 2027 (Directive 2000/84/EC, articles 2 and 3).
  test.each([
    ['day', 'Europe/Lisbon', '2026-10-25T12:00:00Z', '2026-10-24T23:00:00.000Z', '2026-10-26T00:00:00.000Z', 25],
    ['day', 'Europe/Berlin', '2027-03-28T00:30:00Z', '2027-03-27T23:00:00.000Z', '2027-03-28T22:00:00.000Z', 23],
    ['day', 'Asia/Kolkata', '2026-12-04T18:29:59Z', '2026-12-03T18:30:00.000Z', '2026-12-04T18:30:00.000Z', 24],
    ['hour', 'Asia/Kolkata', '2026-12-04T18:29:59Z', '2026-12-04T17:30:00.000Z', '2026-12-04T18:30:00.000Z', 1],
    ['week', 'America/New_York', '2026-12-07T04:59:59Z', '2026-11-30T05:00:00.000Z', '2026-12-07T05:00:00.000Z', 168],
    ['month', 'Pacific/Auckland', '2026-12-31T11:00:00Z', '2026-12-31T11:00:00.000Z', '2027-01-31T11:00:00.000Z', 744],
    ['day', 'UTC', '2026-12-04T00:00:00Z', '2026-12-04T00:00:00.000Z', '2026-12-05T00:00:00.000Z', 24],
  ] as const)('the %s of %s at %s', (each, zone, at, from, to, hours) => {
    const p = periodOf(each, Date.parse(at), zone);
    expect([new Date(p.from).toISOString(), new Date(p.to).toISOString()]).toEqual([from, to]);
    expect((p.to - p.from) / 3_600_000).toBe(hours);
    // The moment lies in it, and the next period begins where it ends.
    expect(p.from <= Date.parse(at) && Date.parse(at) < p.to).toBe(true);
    expect(periodOf(each, p.to, zone).from).toBe(p.to);
  });

  test('a zone that nobody knows is refused with the document', () => {
    const quota = (zone: string) => ({
      hinge: 1,
      api: { name: 'x', version: '1' },
      doors: [{ name: 'd', path: '/' }],
      guards: [{ kind: 'quota', calls: 2, each: 'day', zone }],
      operations: {},
    });
    expect(readDocument(JSON.stringify(quota('Europe/Lisbon'))).document).toBeDefined();
    const wrong = readDocument(JSON.stringify(quota('Tarnhaven/Quay')));
    expect(wrong.document).toBeUndefined();
    expect(JSON.stringify(wrong.findings)).toContain('must be a time zone of the IANA database');
  });
});
