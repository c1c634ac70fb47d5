import { expect, test } from '@jest/globals';
import { Body, type BackendReply, type Message } from '../src';
import { Run, type FlowRequest } from '../src/flow/run';
import { answering, BERTH, draft, envelope, GET, run } from './flow-world';

/** What a run holds of a request that is answered is let go: it would outlive the run among old objects. */

test('an envelope that was read is let go; reply and steps say all that they said', async () => {
  let reply: BackendReply | undefined;
  const r = await run(draft(), 'GetBerth', GET, () => (reply = answering(envelope(BERTH))));
  expect(reply!.body.bytes()).toHaveLength(0);
  expect(reply!.body.value()).toBeUndefined();
  expect(r.reply.text).toContain('"lengthMetres":118.50');
  expect(r.steps[1]!.after!.text).toContain('<b:lengthMetres>118.50</b:lengthMetres>');
  expect(r.steps[2]!.before.text).toBe(r.steps[1]!.after!.text);
});

test('one that breaks its contract is what the designer sees', async () => {
  const text = envelope('<b:GetBerthResponse xmlns:b="urn:tarnhaven:berths:2"/>');
  let reply: BackendReply | undefined;
  const r = await run(draft(), 'GetBerth', GET, () => (reply = answering(text)));
  expect(r.error?.code).toBe('HNG-505');
  expect(r.steps[1]!.after!.text).toBe(text);
  expect(reply!.body.text()).toBe(text);
});

const request: FlowRequest = {
  message: { method: 'GET', path: '/', headers: {}, body: Body.empty() },
  method: 'GET',
  path: {},
  query: {},
  cookies: {},
  headerParameters: {},
  rest: '',
  search: '',
};
const started = (message: Message): Run => {
  const ports = { clock: { now: () => 0 }, backends: { send: () => Promise.reject(new Error('none')) } };
  const r = new Run(request, ports, {}, undefined, {}, undefined);
  r.vars.a = 'kept by nobody';
  r.steps.first = message;
  r.message = message;
  return r;
};

test('a run lets go of messages, variables and results', () => {
  const r = started({ status: 200, headers: {}, body: Body.ofText('x', 'text/plain') });
  expect([r.scope.read('body'), r.scope.read('status')]).toEqual(['x', 200]);
  r.release();
  expect(r.message).toBe(request.message);
  expect([r.vars, r.steps]).toEqual([{}, {}]);
  expect([r.scope.read('body'), r.scope.read('status')]).toEqual([undefined, undefined]);
});

test('one whose reply is a stream goes on', () => {
  const message = { status: 200, headers: {}, body: Body.ofSource(async () => new Uint8Array(0), 'text/plain') };
  const r = started(message);
  r.release();
  expect(r.message).toBe(message);
  expect(r.vars).toEqual({ a: 'kept by nobody' });
});
