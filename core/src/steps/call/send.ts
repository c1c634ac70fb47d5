import { isHttpUrl } from '../../message/url';
import type { Presented } from '../../credentials';
import { BackendFailure, type BackendReply, type BackendRequest } from '../../flow/ports';
import type { Run } from '../../flow/run';
import { CONDITIONS, conditionFields, NotModified, validatorsOf } from '../../flow/validators';
import { Refusal } from '../../problem';
import type { BackendContext } from '../kind';
import { atDoor, tellsPlaces } from './located';

type Sent = Omit<BackendRequest, 'backend' | 'url'>;

/** The address that was chosen, and the whole URL under it. */
export interface Target {
  readonly address: string;
  readonly url: string;
}

/**
 * Sends; where something is kept that can be validated, asks by its validators first and throws NotModified when it is still right
 * (RFC 9111 §4.3). Only a safe method asks so.
 */
export function send(run: Run, backend: BackendContext, request: Sent, to: Target): Promise<BackendReply> {
  const asks = run.keeping && (request.method === 'GET' || request.method === 'HEAD');
  return asks ? sendValidating(run, backend, request, to, run.keeping!) : sendWhole(run, backend, request, to);
}

async function sendValidating(
  run: Run,
  backend: BackendContext,
  request: Sent,
  to: Target,
  keeping: NonNullable<Run['keeping']>,
): Promise<BackendReply> {
  const { validate } = run;
  const headers = { ...request.headers };
  for (const name of CONDITIONS) delete headers[name];
  const reply = await sendWhole(
    run,
    backend,
    { ...request, headers: validate ? { ...headers, ...conditionFields(validate) } : headers },
    to,
  );
  if (reply.status === 304 && validate) {
    await reply.body.load().catch(() => undefined);
    if (run.observer) run.notes = { ...run.notes, status: 304 };
    throw new NotModified(reply.headers);
  }
  keeping.validators = validatorsOf(reply.headers);
  return reply;
}

/** Turns what can go wrong on the way into refusals that name the backend, never its address. A promise handed on is not one more to wait for. */
function sendWhole(run: Run, backend: BackendContext, request: Sent, to: Target): Promise<BackendReply> {
  const { url } = to;
  const { method, headers, body, timeoutMs, operation } = request;
  if (run.observer) run.notes = { url, method };
  return backend.credentials
    ? sendKnown(run, backend, backend.credentials, request, to)
    : sendOne(run, backend, { backend: backend.name, operation, url, method, headers, body, timeoutMs }, to);
}

async function sendKnown(
  run: Run,
  backend: BackendContext,
  credentials: NonNullable<BackendContext['credentials']>,
  { method, headers, body, timeoutMs, operation }: Sent,
  to: Target,
): Promise<BackendReply> {
  // A body that is a stream is gone once it was sent.
  const again = !body.pending;
  const shown = () => credentials.add(run, { url: to.url, headers, body });
  const one = (presented: Presented) =>
    sendOne(run, backend, { backend: backend.name, operation, method, timeoutMs, ...presented }, to);
  const first = await shown();
  const reply = await one(first);
  if (reply.status !== 401 || !again || !credentials.renew(run, first)) return reply;
  // The token may have been revoked before its time; one more try with a fresh one (RFC 6750 §3.1, invalid_token).
  await reply.body.load().catch(() => undefined);
  return one(await shown());
}

/** `to` is without what credentials put into the address. */
function sendOne(run: Run, backend: BackendContext, request: BackendRequest, to: Target): Promise<BackendReply> {
  const { clock, backends } = run.ports;
  const started = clock.now();
  return backends.send(request).then(
    (reply) => {
      run.backendMs += clock.now() - started;
      return tellsPlaces(reply.headers) ? atDoor(reply, run, backend, to.address, to.url) : reply;
    },
    (error: unknown) => {
      run.backendMs += clock.now() - started;
      throw failed(error, request.backend, to.url, request.timeoutMs);
    },
  );
}

/** What went wrong on the way as a refusal that names the backend; `shown` is for the trace. Anything else as it is. */
export function failed(error: unknown, backend: string, shown: string, timeoutMs: number): unknown {
  if (!(error instanceof BackendFailure)) return error;
  const common = { backend, inner: `${shown}: ${error.message}`, cause: error };
  if (error.kind === 'timeout')
    return new Refusal('HNG-503', { ...common, detail: `${backend} did not answer within ${timeoutMs} ms.` });
  if (error.kind === 'unreachable')
    return new Refusal('HNG-502', { ...common, detail: `${backend} cannot be reached now.` });
  return new Refusal('HNG-504', { ...common, detail: `The answer of ${backend} was cut off or cannot be read.` });
}

export function addressOf(backend: BackendContext, run: Run): string {
  const address = backend.addressFor(run.environment);
  if (!address) {
    const where = run.environment ? ` in ${run.environment}` : '';
    throw new Refusal('HNG-501', { backend: backend.name, detail: `${backend.name} has no address${where}.` });
  }
  if (usable.has(address)) return address;
  if (!isHttpUrl(address))
    throw new Refusal('HNG-501', {
      backend: backend.name,
      detail: `${backend.name} has no address that can be called.`,
      inner: `"${address}" is no http or https address`,
    });
  if (usable.size >= 1_000) usable.clear();
  usable.add(address);
  return address;
}

/** Addresses that were looked at: the same few come with every call. */
const usable = new Set<string>();

/**
 * Where an operation of another port than the contract's first is reached: at the path of its own port, as long as the backend's address
 * keeps the path of the first one; an address with another path takes all operations.
 */
export function portAddress(address: string, first: string | undefined, own: string | undefined): string {
  if (own === undefined || first === undefined || !URL.canParse(own) || !URL.canParse(first)) return address;
  if (address === first) return own;
  const given = new URL(address);
  if (given.pathname !== new URL(first).pathname) return address;
  const port = new URL(own);
  return `${given.origin}${port.pathname}${port.search}`;
}

export async function loadReply(reply: BackendReply, backend: BackendContext, run: Run): Promise<void> {
  const started = run.ports.clock.now();
  try {
    await reply.body.load();
  } catch (error) {
    throw notLoaded(backend, error);
  } finally {
    run.backendMs += run.ports.clock.now() - started;
  }
}

/** A reply that began and did not come. */
export function notLoaded(backend: BackendContext, error: unknown): Refusal {
  if (error instanceof Refusal) return error;
  if (error instanceof BackendFailure && error.kind === 'timeout')
    return new Refusal('HNG-503', {
      backend: backend.name,
      detail: `${backend.name} did not answer in time.`,
      inner: error.message,
      cause: error,
    });
  return unreadable(backend, (error as Error).message, error);
}

export function textOf(reply: BackendReply, backend: BackendContext): string {
  try {
    return reply.body.text();
  } catch (error) {
    throw unreadable(backend, (error as Error).message, error);
  }
}

export function unreadable(backend: BackendContext, inner: string, cause?: unknown): Refusal {
  return new Refusal('HNG-504', {
    backend: backend.name,
    detail: `The answer of ${backend.name} cannot be read.`,
    inner,
    cause,
  });
}
