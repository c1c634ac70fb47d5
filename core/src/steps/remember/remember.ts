import CachePolicy from 'http-cache-semantics';
import { writeJson } from '../../codec/json';
import type { Remembered } from '../../flow/ports';
import type { StepDocument } from '../../flow/document';
import { runSeries, type CompiledStep, type Run } from '../../flow/run';
import { freshnessFields, NotModified, validatorsOf, type Validators } from '../../flow/validators';
import { isNumber } from '../../message/digits';
import type { Message } from '../../message/message';
import { finding, Refusal } from '../../problem';
import { checkCondition, compileCondition } from '../condition';
import { checkExpression, loadForReading, readsBody, runnable } from '../expression';
import type { StepContext, StepKind } from '../kind';
import { dropForgeable, isPublic, namedByKey, ownerOf, privateField } from './private';
import type { RememberDocument } from './schema';

const CACHE = 'hinge';

/**
 * Keeps the message that the steps inside make. Says so by Cache-Status (RFC 9211 §2) and Age (RFC 9111 §5.1). Many callers
 * that miss the same key wait for one of them.
 */
type GuardList = StepContext['document']['guards'];

export const rememberKind: StepKind<RememberDocument> = {
  kind: 'remember',
  words: 'keep the result of the steps inside for a while',
  label: (step) => (typeof step.seconds === 'number' ? `${step.seconds} s` : step.seconds),

  parts: (step) => [{ pointer: '/flow', name: 'remember', flow: step.flow }],

  compile(step, context) {
    const steps = context.series(step.flow, '/flow');
    const seconds = typeof step.seconds === 'number' ? undefined : runnable(step.seconds);
    const key = step.key?.map(runnable);
    const notIf = step.notIf === undefined ? undefined : compileCondition(step.notIf);
    const tags = step.tags?.map(runnable);
    const validates = step.obey === true && asksOnce(step.flow);
    const needsBody = [...(key ?? []), ...(seconds ? [seconds] : [])].some(readsBody);
    const place = `${context.document.api.name} ${context.document.api.version} ${context.operationId}${context.at}`;
    const named = namedByKey(step.key ?? []);
    const byClaims = /\bclaims\b/.test(JSON.stringify(step.flow));
    const flights = new Map<string, Promise<Remembered | undefined>>();
    return async (run) => {
      await loadForReading(run, needsBody);
      const life = seconds ? secondsOf(await seconds.evaluate(run.scope)) : (step.seconds as number);
      const { store } = run.ports;
      const whose = privateField(run, named);
      if (!(life > 0) || !store || (whose !== undefined && !step.obey)) {
        tell(run, 'fwd=bypass', { life, ...(whose !== undefined && { because: `the request has ${whose}` }) });
        await runSeries(steps, run);
        return;
      }
      const parts = key
        ? await Promise.all(key.map((e) => e.evaluate(run.scope)))
        : [run.request.method, run.request.path, run.request.query, run.request.rest];
      const owner = step.shared ? '' : ownerOf(run, byClaims);
      const id = writeJson([place, run.environment ?? '', owner, ...parts.map((p) => (p === undefined ? null : p))]);
      const found = await store.get(id);
      const usable = found && fits(found, run) && (whose === undefined || isPublic(found.message.headers));
      const old = usable ? found : undefined;
      const now = run.ports.clock.now();
      if (old && now < old.freshMs) {
        recall(run, old, life);
        return;
      }
      dropForgeable(run, named);
      const keep = (kept: Remembered) => store.set(id, kept, (kept.expiresMs - kept.storedMs) / 1000);
      const under = key && keyTag(parts);
      const fetch = (own: Run) =>
        fetchAndKeep(
          own,
          { steps, notIf, tags, under, step, life, validates, isPrivate: whose !== undefined },
          keep,
          old,
        );
      /** One at a time for each key. */
      const fly = (own: Run): Promise<Remembered | undefined> => {
        const flight = fetch(own);
        flights.set(id, flight);
        const forget = () => void (flights.get(id) === flight && flights.delete(id));
        flight.then(forget, forget);
        return flight;
      };
      if (old && now < old.freshMs + (step.staleWhileSeconds ?? 0) * 1000) {
        // The caller's connection may be gone by then.
        await run.message.body.load();
        if (!flights.has(id)) fly(run.apart()).catch(() => undefined);
        recall(run, old, life);
        return;
      }
      const flying = flights.get(id);
      if (flying) {
        const landed = await flying.catch(() => undefined);
        const mine = landed && fits(landed, run) && (whose === undefined || isPublic(landed.message.headers));
        if (mine && run.ports.clock.now() < landed.freshMs) {
          recall(run, landed, life, '; collapsed');
          return;
        }
      }
      const began = run.message;
      // What steps set that then failed is not said of the old reply.
      const undo = old && setBack(run);
      try {
        const kept = await (flying ? fetch(run) : fly(run));
        const status = run.message.status ?? 200;
        if (!kept && status >= 500 && mayServe(step, old, now)) {
          undo!();
          giveOld(run, old!, life, `; fwd-status=${status}`);
          return;
        }
        const why = old ? `fwd=stale${run.notModified ? '; fwd-status=304' : ''}` : 'fwd=uri-miss';
        const left = kept && Math.round((kept.freshMs - kept.storedMs) / 1000);
        tell(run, kept ? `${why}; stored; ttl=${left}` : why, { life, kept: kept !== undefined });
      } catch (error) {
        if (!(error instanceof Refusal) || error.status < 500 || !mayServe(step, old, now)) throw error;
        run.message = began;
        undo!();
        giveOld(run, old!, life, '');
      }
    };
  },

  check(step, context, before, report) {
    if (typeof step.seconds === 'string') checkExpression(step.seconds, context, '/seconds', before, report);
    step.tags?.forEach((t, i) => checkExpression(t, context, `/tags/${i}`, before, report));
    step.key?.forEach((k, i) => checkExpression(k, context, `/key/${i}`, before, report));
    const unsafe = !['GET', 'HEAD', 'OPTIONS'].includes(context.operation.method);
    if (unsafe && step.key === undefined)
      report(
        finding(
          'HNG-319',
          `${context.operation.method} is remembered by path and query alone; requests with other bodies get the same answer`,
          context.place,
        ),
      );
    const open = step.flow.some((s) => s.kind === 'call' && s.backend !== undefined && s.operation === undefined);
    const named = namedByKey(step.key ?? []);
    if (open && !named.has('authorization') && !named.has('cookie') && !refusesBoth(context))
      report(
        finding(
          'HNG-336',
          'the call inside passes Authorization and Cookie on; a request that has one of them is neither remembered nor answered from here',
          context.place,
        ),
      );
    const end = context.checkSeries(step.flow, '/flow', before, report);
    if (step.notIf !== undefined) checkCondition(step.notIf, context, '/notIf', end, report);
    return end;
  },
};

/** No request that has one of them gets as far: guards refuse both at every door. */
function refusesBoth({ document, operation }: StepContext): boolean {
  const names = (guards: GuardList): string[] =>
    (guards ?? []).flatMap((g) => (g.kind === 'headers' && !g.off ? (g.refuse ?? []) : [])).map((n) => n.toLowerCase());
  const everywhere = [...names(document.guards), ...names(operation.guards)];
  return document.doors.every((d) => {
    const here = [...everywhere, ...names(d.guards)];
    return here.includes('authorization') && here.includes('cookie');
  });
}

/** Puts variables and results of named steps back to what they are now. */
function setBack(run: Run): () => void {
  const before = [{ ...run.vars }, { ...run.steps }] as const;
  return () =>
    [run.vars, run.steps].forEach((now, i) => {
      for (const name of Object.keys(now)) if (!Object.hasOwn(before[i]!, name)) delete now[name];
      Object.assign(now, before[i]);
    });
}

function secondsOf(v: unknown): number {
  const n = isNumber(v) || typeof v === 'string' ? Number(v) : 0;
  return Number.isFinite(n) ? Math.min(n, 31_536_000) : 0;
}

/** The tag under which everything with this key stands: its parts as texts, in their order. Of all apps, plans and steps. */
export const keyTag = (parts: readonly unknown[]): string =>
  `key ${JSON.stringify(parts.map((p) => (typeof p === 'string' ? p : p === undefined ? '' : writeJson(p))))}`;

interface Keeping {
  readonly steps: readonly CompiledStep[];
  readonly notIf: ReturnType<typeof compileCondition> | undefined;
  readonly tags: readonly ReturnType<typeof runnable>[] | undefined;
  /** Of the key, where the step says what it is. */
  readonly under: string | undefined;
  readonly step: RememberDocument;
  readonly life: number;
  /** The answer of one backend alone makes the result: when that is still right, so is this. */
  readonly validates: boolean;
  /** The request has credentials: only what the reply calls public is kept. */
  readonly isPrivate: boolean;
}

async function fetchAndKeep(
  run: Run,
  { steps, notIf, tags, under, step, life, validates, isPrivate }: Keeping,
  keep: (r: Remembered) => void | Promise<void>,
  old: Remembered | undefined,
): Promise<Remembered | undefined> {
  const keeping: NonNullable<Run['keeping']> = {};
  if (validates) {
    run.keeping = keeping;
    run.validate = old?.validators;
  }
  try {
    await runSeries(steps, run);
  } catch (error) {
    if (!(error instanceof NotModified) || !old) throw error;
    return await renew(run, old, error.headers, step, life, keep);
  } finally {
    run.keeping = undefined;
    run.validate = undefined;
  }
  const m = run.message;
  await m.body.load();
  const status = m.status ?? 200;
  // A part, or an answer to somebody's condition, is nothing for others (RFC 9111 §3).
  if (status >= 400 || status === 206 || status === 304 || (notIf && (await notIf.holds(run)))) return undefined;
  const { validators } = keeping;
  const vary = varyOf(m.headers, run);
  if (!vary || (isPrivate && !isPublic(m.headers))) return undefined;
  const obeyed = step.obey ? byItsWords(run, m.headers, status, life, validators) : { seconds: life, ...vary };
  if (!obeyed) return undefined;
  const named = tags && (await Promise.all(tags.map((t) => t.evaluate(run.scope))));
  const remembered: Remembered = {
    message: settled(m),
    ended: run.ended,
    ...times(run, obeyed.seconds, step, validators),
    ...((named || under !== undefined) && {
      tags: [
        ...(named ?? []).flat().flatMap((t) => (t === undefined || t === null ? [] : [String(t)])),
        ...(under === undefined ? [] : [under]),
      ],
    }),
    ...(obeyed.vary && { vary: obeyed.vary }),
    ...(validators && { validators }),
  };
  await keep(remembered);
  return remembered;
}

/** What is stale is of use to ask by for so long. */
const ASKED_BY_MS = 3_600_000;

function times(run: Run, seconds: number, step: RememberDocument, validators: Validators | undefined) {
  const storedMs = run.ports.clock.now();
  const freshMs = storedMs + seconds * 1000;
  const stale = Math.max(step.staleWhileSeconds ?? 0, step.staleOnErrorSeconds ?? 0) * 1000;
  return { storedMs, freshMs, expiresMs: freshMs + Math.max(stale, validators ? ASKED_BY_MS : 0) };
}

/** It is still right: it lives anew, by the words of the 304 and those of before that it leaves (RFC 9111 §4.3.4, §3.2). */
async function renew(
  run: Run,
  old: Remembered,
  said: Readonly<Record<string, string>>,
  step: RememberDocument,
  life: number,
  keep: (r: Remembered) => void | Promise<void>,
): Promise<Remembered | undefined> {
  const { age: _before, ...lasting } = old.validators!.headers;
  const headers = { ...lasting, ...freshnessFields(said) };
  const shown = { ...old.message.headers };
  for (const [name, value] of Object.entries(headers)) if (shown[name] !== undefined) shown[name] = value;
  run.message = { ...old.message, headers: shown };
  if (old.ended) run.ended = true;
  run.notModified = true;
  const validators = validatorsOf(headers);
  const obeyed = byItsWords(run, headers, 200, life, validators);
  if (!obeyed) return undefined;
  const { vary: _vary, validators: _validators, ...same } = old;
  const renewed: Remembered = {
    ...same,
    message: run.message,
    ...times(run, obeyed.seconds, step, validators),
    ...(obeyed.vary && { vary: obeyed.vary }),
    ...(validators && { validators }),
  };
  await keep(renewed);
  return renewed;
}

/** Steps in a row that ask one backend once, and whose result depends on nothing that another backend says. */
function asksOnce(flow: readonly StepDocument[]): boolean {
  const on = flow.filter((s) => !s.off);
  const calls = on.filter((s) => s.kind === 'call');
  return (
    calls.length === 1 &&
    calls[0]!.backend !== undefined &&
    // Two addresses may use the same entity tag for different answers.
    !calls[0]!.routes?.length &&
    on.every(
      (s) => s.kind === 'call' || s.kind === 'map' || s.kind === 'convert' || s.kind === 'set' || s.kind === 'check',
    )
  );
}

/**
 * How long the reply may be kept by its own words (RFC 9111 §3, §4.2), and for which requests (§4.1); undefined: not at all. What must be
 * validated each time is kept for that where it can be.
 */
function byItsWords(
  run: Run,
  headers: Readonly<Record<string, string>>,
  status: number,
  most: number,
  validators: Validators | undefined,
): { seconds: number; vary?: Record<string, string> } | undefined {
  const { message: asked } = run.request;
  const policy = new CachePolicy(
    { url: asked.path ?? '/', method: asked.method ?? 'GET', headers: { ...asked.headers } },
    { status, headers: { ...headers } },
    { shared: true },
  );
  const seconds = Math.max(0, Math.min(policy.timeToLive() / 1000, most));
  const vary = varyOf(headers, run);
  if (!policy.storable() || (seconds === 0 && !validators) || !vary) return undefined;
  return { seconds, ...vary };
}

/** For which requests a reply is right (RFC 9111 §4.1), whoever says how long; undefined: for no other (`Vary: *`). */
function varyOf(headers: Readonly<Record<string, string>>, run: Run): { vary?: Record<string, string> } | undefined {
  if (headers.vary === undefined) return {};
  const asked = run.request.message.headers;
  const names = headers.vary.split(',').map((n) => n.trim().toLowerCase());
  if (names.includes('*')) return undefined;
  return { vary: Object.fromEntries(names.filter(Boolean).map((n) => [n, asked[n] ?? ''])) };
}

/** The request says the same in every field that the reply depends on. */
function fits(r: Remembered, run: Run): boolean {
  const { headers } = run.request.message;
  for (const name in r.vary) if ((headers[name] ?? '') !== r.vary[name]) return false;
  return true;
}

const mayServe = (step: RememberDocument, old: Remembered | undefined, now: number): boolean =>
  old !== undefined && now < old.freshMs + (step.staleOnErrorSeconds ?? 0) * 1000;

/** RFC 9211 §2.2: it went forward because what was here was stale, and was of no use. */
function giveOld(run: Run, old: Remembered, life: number, more: string): void {
  const age = Math.max(0, Math.floor((run.ports.clock.now() - old.storedMs) / 1000));
  run.message = old.message;
  if (old.ended) run.ended = true;
  run.replyHeaders.age = String(age);
  tell(run, `fwd=stale${more}; detail=stale-if-error`, { hit: true, stale: true, age, life });
}

/** What is kept must not change, nor hold on to a connection. A cookie is for the caller who got it, never for the next. */
function settled(m: Message): Message {
  m.body.bytes();
  if (m.headers['set-cookie'] === undefined) return m;
  const { 'set-cookie': _his, ...headers } = m.headers;
  return { ...m, headers };
}

function recall(run: Run, r: Remembered, life: number, more = ''): void {
  const now = run.ports.clock.now();
  const age = Math.max(0, Math.floor((now - r.storedMs) / 1000));
  run.message = r.message;
  if (r.ended) run.ended = true;
  run.replyHeaders.age = String(age);
  // RFC 9211 §2.4: less than nothing once it is stale.
  const ttl = Math.round((r.freshMs - now) / 1000);
  tell(run, `hit; ttl=${ttl}${more}`, { hit: true, age, life, ...(ttl < 0 && { stale: true }) });
}

function tell(run: Run, words: string, notes: Record<string, unknown>): void {
  const mine = `${CACHE}; ${words}`;
  const before = run.replyHeaders['cache-status'];
  // Each cache adds itself behind the one that is nearer to the origin (RFC 9211 §2).
  run.replyHeaders['cache-status'] = before === undefined ? mine : `${before}, ${mine}`;
  run.notes = { cacheStatus: mine, ...notes };
}
