import { describe, expect, test } from '@jest/globals';
import Ajv from 'ajv/dist/2020';
import addFormats from 'ajv-formats';
import { problemXml } from '../src/codec/problem-xml';
import { refusalMessage } from '../src/flow/compile';
import { CODES, type Code } from '../src/problem/codes';
import { Refusal } from '../src/problem/refusal';

/** RFC 9457, appendix A: the JSON Schema of a problem (from memory), with the members that its §3.1 lets be absent. */
const PROBLEM = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  type: 'object',
  properties: {
    type: { type: 'string', format: 'uri-reference' },
    title: { type: 'string' },
    status: { type: 'integer', minimum: 100, maximum: 599 },
    detail: { type: 'string' },
    instance: { type: 'string', format: 'uri-reference' },
  },
};

describe('problems (RFC 9457)', () => {
  const ajv = new Ajv({ allErrors: true });
  addFormats(ajv);
  const valid = ajv.compile(PROBLEM);

  const answers = (Object.keys(CODES) as Code[]).filter((code) => 'status' in CODES[code]);

  test('there are codes of refusals at all', () => expect(answers.length).toBeGreaterThan(20));

  test.each(answers)('a refusal of %s is a problem by the schema of appendix A', (code) => {
    const message = refusalMessage(new Refusal(code), '/berths?vessel=Grete%20M', 'a'.repeat(32));
    const problem = JSON.parse(message.body.text()) as Record<string, unknown>;
    expect(valid(problem) || valid.errors).toBe(true);
    // §3: its media type; §3.1.2: the status code is that of the reply.
    expect(message.headers['content-type']).toBe('application/problem+json');
    expect(problem.status).toBe(message.status);
    expect(problem.instance).toBe('/berths?vessel=Grete%20M');
    // §3.1.3: the title does not change from occurrence to occurrence.
    expect(problem.title).toBe(CODES[code].title);
  });

  test('the schema refuses what is none', () => {
    expect(valid({ type: 'no uri \\', status: 42, title: 7 })).toBe(false);
    expect(valid.errors?.map((e) => e.instancePath).sort()).toEqual(['/status', '/title', '/type']);
  });

  test('extension members stand beside the others, faults of the input as a list (§3, §3.2)', () => {
    // The faults are those of the second example of §3 (from memory), in our words and with our pointers.
    const refusal = new Refusal('HNG-404', {
      errors: [
        { pointer: '/age', detail: 'must be a positive integer', code: 'HNG-404' },
        { pointer: '/profile/color', detail: "must be 'green', 'red' or 'blue'", code: 'HNG-404' },
      ],
    });
    const problem = JSON.parse(refusalMessage(refusal, '/', 'a'.repeat(32)).body.text()) as { errors: object[] };
    expect(valid(problem)).toBe(true);
    expect(problem.errors).toMatchObject([
      { detail: 'must be a positive integer', pointer: '/age' },
      { detail: "must be 'green', 'red' or 'blue'", pointer: '/profile/color' },
    ]);
  });

  test('as XML: the example of appendix B (from memory)', () => {
    const written = problemXml({
      type: 'https://example.com/probs/out-of-credit',
      title: 'You do not have enough credit.',
      detail: 'Your current balance is 30, but that costs 50.',
      instance: 'https://example.net/account/12345/msgs/abc',
      balance: 30,
      accounts: ['https://example.net/account/12345', 'https://example.net/account/67890'],
    });
    expect(written.replace(/>\s+</g, '><')).toBe(
      `<?xml version="1.0" encoding="UTF-8"?>
<problem xmlns="urn:ietf:rfc:7807">
  <type>https://example.com/probs/out-of-credit</type>
  <title>You do not have enough credit.</title>
  <detail>Your current balance is 30, but that costs 50.</detail>
  <instance>https://example.net/account/12345/msgs/abc</instance>
  <balance>30</balance>
  <accounts>
    <i>https://example.net/account/12345</i>
    <i>https://example.net/account/67890</i>
  </accounts>
</problem>`.replace(/>\s+</g, '><'),
    );
  });
});
