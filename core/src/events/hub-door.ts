import { decoded } from '../message/percent';
import type { FlowDocument, OperationDocument } from '../flow/document';
import type { CompiledStep, Run } from '../flow/run';
import { fieldGuards } from '../guards/compile';
import { Body } from '../message/body';
import { essence } from '../message/headers';
import { Refusal, type InputFault } from '../problem';
import { parameterNames, pathWith, readAddress } from './family';
import { refBy } from './publishing';
import { shapeContext, shaperOf } from './shape';
import { channelPath, type TopicDocument } from './topic';

type Door = FlowDocument['doors'][number];

const FORM = 'application/x-www-form-urlencoded';
const LEASE_S = 864_000;
const LEAST_LEASE_S = 60;
const ATTEMPTS = 8;

const hubPath = (door: Door): string => `${door.path.replace(/\/$/, '')}/hub`;
const topicPath = (door: Door, name: string, topic: TopicDocument): string =>
  `${door.path.replace(/\/$/, '')}${channelPath(name, topic)}`;

/** Origin under which the caller knows this gateway. */
const originOf = ({ request }: Run): string =>
  `${request.secure ? 'https' : 'http'}://${request.message.headers.host ?? 'localhost'}`;

/** Link fields of a topic (WebSub §4, RFC 8288): its hub, and itself. */
export function hubLinks(door: Door, name: string, topic: TopicDocument): ((run: Run) => string) | undefined {
  if (!door.webhooks) return undefined;
  const path = topicPath(door, name, topic);
  return (run) => {
    const self = path.includes('{') ? pathWith(path, run.request.path as Record<string, string>) : path;
    return linksOf(originOf(run) + hubPath(door), originOf(run) + self);
  };
}

export const linksOf = (hub: string, self: string): string => `<${hub}>; rel="hub", <${self}>; rel="self"`;

/** The hub of a door: `hub.mode`, `hub.topic`, `hub.callback` by POST (W3C WebSub §5.1). Undefined where the door calls nobody back. */
export function hubEntry(document: FlowDocument, door: Door) {
  const { webhooks } = door;
  if (!webhooks) return undefined;
  const heard = Object.entries(document.topics ?? {}).filter(([, t]) => t.door?.listen !== false);
  const find = finderOf(
    heard.map(([name, t]) => ({ path: topicPath(door, name, t), name, topic: t, shapeFor: shaperOf(t) })),
  );
  // Whoever subscribes listens: the topic's own guards let it in, or do not.
  const guards = fieldGuards(
    document,
    door.name,
    Object.fromEntries(
      heard.map(([name, t]): [string, OperationDocument] => [
        name,
        { method: 'GET', path: '/', guards: t.door?.guards, flow: [] },
      ]),
    ),
  );
  const step: CompiledStep = {
    kind: 'hub',
    at: '/0',
    async run(run) {
      if (essence(run.message.headers['content-type']) !== FORM)
        throw new Refusal('HNG-406', { detail: `A subscription is sent as ${FORM}.`, headers: { accept: FORM } });
      await run.message.body.load();
      const form = new URLSearchParams(run.message.body.text());
      const faults: InputFault[] = [];
      const wrong = (parameter: string, detail: string, code = 'value') =>
        void faults.push({ parameter, code, detail });
      const mode = form.get('hub.mode');
      if (mode !== 'subscribe' && mode !== 'unsubscribe') wrong('hub.mode', 'must be subscribe or unsubscribe');
      const self = form.get('hub.topic') ?? '';
      const found = URL.canParse(self, originOf(run)) ? find(new URL(self, originOf(run)).pathname) : undefined;
      if (!found)
        wrong(
          'hub.topic',
          `must be the address of a topic of this door: ${heard.map(([n, t]) => topicPath(door, n, t)).join(', ') || 'it has none'}`,
        );
      const callback = form.get('hub.callback') ?? '';
      if (!mayBeCalled(callback, webhooks.callbacks))
        wrong('hub.callback', 'must be an address that this hub may call; whoever runs it names them');
      const lease = form.get('hub.lease_seconds') ?? '';
      if (lease && !/^\d{1,10}$/.test(lease)) wrong('hub.lease_seconds', 'must be whole seconds', 'type');
      const secret = form.get('hub.secret') ?? undefined;
      // WebSub §5.1: less than 200 bytes.
      if (secret !== undefined && new TextEncoder().encode(secret).length >= 200)
        wrong('hub.secret', 'must be shorter than 200 bytes', 'maxLength');
      if (faults.length || !found) throw new Refusal('HNG-404', { errors: faults });
      await guards.get(found.name)?.(run);
      const { subscribers } = run.ports;
      if (!subscribers)
        throw new Refusal('HNG-510', {
          detail: 'Nobody is called back here.',
          inner: 'this engine has no subscribers',
        });
      const topic = refBy(document, found.name, run, found.values, true);
      const most = webhooks.leaseSeconds ?? LEASE_S;
      const context = shapeContext(run);
      const wish = {
        topic,
        callback,
        self,
        hub: originOf(run) + hubPath(door),
        leaseSeconds: Math.max(LEAST_LEASE_S, Math.min(lease ? Number(lease) : most, most)),
        ...(secret && { secret }),
        attempts: webhooks.attempts ?? ATTEMPTS,
        ...(run.more.api !== undefined && { api: run.more.api }),
        context,
        shape: found.shapeFor(context),
      };
      if (mode === 'subscribe') subscribers.subscribe(wish);
      else subscribers.unsubscribe(wish);
      run.notes = { topic: found.name, mode };
      // WebSub §5.1.2: accepted; the subscriber is asked now.
      run.message = { status: 202, headers: {}, body: Body.empty() };
    },
  };
  return {
    id: 'hub',
    operation: {
      method: 'POST',
      path: '/hub',
      summary: 'Subscribe to a topic by callback',
      flow: [],
    } as OperationDocument,
    flow: [step],
  };
}

/** By the path of an address: what stands there without parameters first, then by them, percent-decoded. */
function finderOf<T extends { readonly path: string }>(
  all: readonly T[],
): (path: string) => (T & { readonly values: Readonly<Record<string, string>> }) | undefined {
  const fixed = new Map(all.map((x) => [x.path, { ...x, values: {} }]));
  const others = all.flatMap((x) => {
    const names = parameterNames(x.path);
    if (!names.length) return [];
    const family = { template: x.path, names, allowed: {}, given: {}, open: true, separator: '/' as const };
    return [{ x, family }];
  });
  return (path) => {
    const known = fixed.get(path);
    if (known) return known;
    for (const { x, family } of others) {
      const raw = readAddress(family, path);
      if (raw) return { ...x, values: Object.fromEntries(Object.entries(raw).map(([n, v]) => [n, decoded(v)])) };
    }
    return undefined;
  };
}

/** The same origin, and a path at or below one of those that are allowed. Anything else would let callers reach what only the gateway can. */
export function mayBeCalled(callback: string, allowed: readonly string[]): boolean {
  if (!URL.canParse(callback)) return false;
  const url = new URL(callback);
  if (!/^https?:$/.test(url.protocol) || url.username || url.password) return false;
  return allowed.some((a) => {
    const own = new URL(a);
    const base = own.pathname.replace(/\/$/, '');
    return url.origin === own.origin && (url.pathname === base || url.pathname.startsWith(`${base}/`));
  });
}
