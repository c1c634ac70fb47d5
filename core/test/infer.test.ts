import { describe, expect, test } from '@jest/globals';
import Ajv from 'ajv/dist/2020';
import addFormats from 'ajv-formats';
import fc from 'fast-check';
import { type HingeError, inferSchema, schemaOfSamples, takeEnum } from '../src';

describe('a schema from samples', () => {
  test('types, formats, what is always there, what may be null', () => {
    const { schema } = inferSchema([
      { id: 7, name: 'a', at: '2026-12-04T05:30:00Z', day: '2026-12-04', price: 1.5, tags: ['x'], gone: null },
      { id: 8, name: 'b', at: '2026-12-05T05:30:00+01:00', day: '2026-12-05', price: 2, tags: [], extra: true },
    ]);
    expect(schema).toEqual({
      type: 'object',
      properties: {
        id: { type: 'integer' },
        name: { type: 'string' },
        at: { type: 'string', format: 'date-time' },
        day: { type: 'string', format: 'date' },
        price: { type: 'number' },
        tags: { type: 'array', items: { type: 'string' } },
        gone: { type: 'null' },
        extra: { type: 'boolean' },
      },
      required: ['id', 'name', 'at', 'day', 'price', 'tags'],
    });
  });

  test('no sample, one value, kinds that differ, an empty list', () => {
    expect(inferSchema([]).schema).toEqual({});
    expect(inferSchema([1]).schema).toEqual({ type: 'integer' });
    expect(inferSchema([[]]).schema).toEqual({ type: 'array', items: {} });
    expect(inferSchema(['a', null]).schema).toEqual({ type: ['string', 'null'] });
    expect(inferSchema(['a', 1]).schema).toEqual({ anyOf: [{ type: 'string' }, { type: 'integer' }] });
  });

  test('few texts seen often are offered as an enumeration, and taken when wanted', () => {
    const { schema, enums } = inferSchema([
      { list: ['HIGH', 'LOW', 'HIGH', 'LOW'].map((kind, i) => ({ kind, name: `n${i}` })) },
    ]);
    expect(enums).toEqual([{ pointer: '/list/*/kind', values: ['HIGH', 'LOW'] }]);
    expect(takeEnum(schema, enums[0]!).properties!.list!.items!.properties!.kind).toEqual({
      type: 'string',
      enum: ['HIGH', 'LOW'],
    });
  });

  // ajv is the judge: whatever the samples are, all of them fit the schema made from them.
  test('property: every sample fits', () => {
    fc.assert(
      fc.property(fc.array(fc.jsonValue({ maxDepth: 4 }), { minLength: 1, maxLength: 5 }), (samples) => {
        const ajv = new Ajv({ strict: false });
        addFormats(ajv);
        const validate = ajv.compile(inferSchema(samples).schema);
        for (const s of samples) expect([s, validate(s)]).toEqual([s, true]);
      }),
      { seed: 11, numRuns: 300 },
    );
  });

  test('XML samples: attributes, lists that stood once in another sample, text beside attributes', () => {
    const made = schemaOfSamples([
      '<t:table xmlns:t="urn:x" day="2026-12-04"><t:tide kind="HIGH"><t:m>4.35</t:m></t:tide><t:tide kind="LOW"><t:m>1</t:m></t:tide><t:note lang="en">calm</t:note></t:table>',
      '<table day="2026-12-05"><tide kind="HIGH"><m>4</m></tide></table>',
    ]);
    expect([made.root, made.mediaType]).toEqual(['table', 'application/xml']);
    expect(made.schema).toEqual({
      type: 'object',
      xml: { name: 'table' },
      required: ['day', 'tide'],
      properties: {
        day: { type: 'string', format: 'date', xml: { attribute: true } },
        tide: {
          type: 'array',
          items: {
            type: 'object',
            required: ['kind', 'm'],
            properties: { kind: { type: 'string', xml: { attribute: true } }, m: { type: 'number' } },
          },
        },
        note: {
          type: 'object',
          required: ['lang', 'value'],
          properties: { lang: { type: 'string', xml: { attribute: true } }, value: { type: 'string' } },
        },
      },
    });
  });

  test('broken samples say which and where', () => {
    const words = (...texts: string[]) => {
      try {
        schemaOfSamples(texts);
      } catch (error) {
        return (error as HingeError).finding.message;
      }
      return 'nothing';
    };
    expect(words('{"a": 1}', '{"a": }')).toMatch(/sample 2 is no JSON.*character 7/);
    expect(words('<a><b></a>')).toMatch(/sample 1 is no XML.*line 1/);
  });
});
