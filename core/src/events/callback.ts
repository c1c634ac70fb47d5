import type { FlowDocument, OperationDocument } from '../flow/document';
import type { CompiledStep } from '../flow/run';
import { JsonError, writeJson } from '../codec/json';
import { Body } from '../message/body';
import { isJson } from '../message/headers';
import { Refusal } from '../problem';
import { accepted } from '../steps/publish/publish';
import { runnable } from '../steps/expression';
import { newEvent } from './wire';
import { dataChecker, publishTo, refBy } from './publishing';
import { holds } from './shape';
import type { TopicDocument } from './topic';

/** Longest challenge that is given back: more than any hub sends, less than would be of use to anybody else. */
const LONGEST_CHALLENGE = 1000;

/**
 * The address at which others call us back: what they send is an event of the topic, once its guards let it in (a signature, most of all). By GET it
 * answers the challenge of a hub that wants to know whether it was meant (W3C WebSub §5.3).
 */
export function callbackEntries(document: FlowDocument, name: string, topic: TopicDocument) {
  const { callback } = topic.door ?? {};
  if (!callback) return [];
  const operation = (method: 'GET' | 'POST', guards: OperationDocument['guards']): OperationDocument => ({
    method,
    path: callback.path,
    summary: method === 'POST' ? `Called back for ${topic.title ?? name}` : 'Answers a challenge',
    guards,
    flow: [],
  });
  const data = callback.data === undefined ? undefined : runnable(callback.data);
  const where = callback.where === undefined ? undefined : runnable(callback.where);
  const faultsOf = dataChecker(document, name);
  const take: CompiledStep = {
    kind: 'publish',
    at: '/0',
    async run(run) {
      const ref = refBy(document, name, run, run.request.path);
      await run.message.body.load();
      const { body } = run.message;
      if (body.isEmpty)
        throw new Refusal('HNG-404', { errors: [{ pointer: '', code: 'required', detail: 'a body is needed' }] });
      if ((data || where) && !isJson(body.mediaType))
        throw new Refusal('HNG-406', { detail: 'A callback is sent as application/json.' });
      if (isJson(body.mediaType)) demandJson(body);
      const { scope } = run;
      if (where && !holds(await where.evaluate(scope))) {
        run.notes = { topic: name, passed: true };
        run.message = { status: 202, headers: {}, body: Body.empty() };
        return;
      }
      const made = data ? Body.ofText(writeJson((await data.evaluate(scope)) ?? null), 'application/json') : body;
      const faults = faultsOf(made);
      if (faults.length) throw new Refusal('HNG-404', { errors: faults });
      const key = callback.once === undefined ? undefined : run.request.message.headers[callback.once.toLowerCase()];
      const done = await publishTo(
        run,
        ref,
        newEvent(ref, made),
        key === undefined ? undefined : { once: `callback ${key}` },
      );
      run.notes = {
        topic: name,
        address: ref.address,
        id: done.id,
        ...(done.held && { held: true }),
        ...(done.repeated && { repeated: true }),
      };
      run.message = accepted({ id: done.id, topic: name });
    },
  };
  const parameter = callback.challenge ?? 'hub.challenge';
  const challenge: CompiledStep = {
    kind: 'reply',
    at: '/0',
    run(run) {
      const search = new URLSearchParams(run.request.search);
      const given = search.get(parameter);
      const wanted = search.get('hub.topic');
      if (given === null || given.length > LONGEST_CHALLENGE)
        throw new Refusal('HNG-404', {
          errors: [
            { parameter, code: 'required', detail: `at most ${LONGEST_CHALLENGE} characters, to be given back` },
          ],
        });
      // WebSub §5.3: what was never asked for is not confirmed.
      if (callback.from && wanted !== null && !callback.from.includes(wanted))
        throw new Refusal('HNG-404', {
          errors: [{ parameter: 'hub.topic', code: 'value', detail: 'nobody here asked for that topic' }],
        });
      run.message = {
        status: 200,
        headers: { 'content-type': 'text/plain; charset=utf-8', 'x-content-type-options': 'nosniff' },
        body: Body.ofText(given, 'text/plain'),
      };
    },
  };
  return [
    { id: `callback ${name}`, operation: operation('POST', callback.guards), flow: [take] },
    { id: `challenge ${name}`, operation: operation('GET', undefined), flow: [challenge] },
  ];
}

/** What says that it is JSON is read once, so that nobody gets what nobody can read. */
function demandJson(body: Body): void {
  try {
    body.value();
  } catch (error) {
    if (!(error instanceof JsonError)) throw error;
    const detail = `${error.message} at character ${error.position + 1}`;
    throw new Refusal('HNG-403', { detail: `${detail}.`, errors: [{ pointer: '', code: 'json', detail }] });
  }
}
