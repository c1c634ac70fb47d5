import { bodyValue } from '../flow/body-value';
import { parameterForm, writeQuery, writeSimple, type ParameterForm } from '../codec/parameters';
import { writeJson } from '../codec/json';
import type { FlowDocument, OperationDocument, ParameterDocument } from '../flow/document';
import type { InnerEnd, Run } from '../flow/run';
import type { FieldGuard } from '../guards/compile';
import { Body } from '../message/body';
import { withFields } from '../message/headers';
import type { Message } from '../message/message';
import { problemOf, Refusal } from '../problem';
import type { Batch, GraphCall, GraphContext, GraphReply } from './context';
import { loadKey } from './joins';
import type { TypeTable } from '../schema';

const PLAIN = 'application/json';

/** One call of an operation, for the fields that asked for it. Times in milliseconds, as Clock.now gives them. */
export interface GraphCallMade {
  readonly operation: string;
  readonly fields: string[];
  readonly startMs: number;
  ms: number;
  status: number;
}

/** Calls of one request. In a query the same call is made once, and the same look-up. */
export class Calls implements GraphContext {
  count = 0;
  /** Calls that were not made because another had asked the same. */
  saved = 0;
  /** What was called, in order: the n-th stands at /0/calls/n among the steps. */
  readonly made: GraphCallMade[] = [];
  private readonly known = new Map<string, { readonly reply: Promise<GraphReply>; readonly made: GraphCallMade }>();
  private readonly loaded = new Map<string, Promise<readonly unknown[]>>();
  /** Look-ups of this turn, by batch. */
  private readonly waiting = new Map<string, Waiting>();

  constructor(
    private readonly run: Run,
    private readonly document: FlowDocument,
    private readonly guards: ReadonlyMap<string, FieldGuard>,
    private readonly once: boolean,
  ) {}

  load(batch: Batch, value: unknown, field: string): Promise<readonly unknown[]> {
    const key = `${batch.key} ${loadKey(value)}`;
    const known = this.once ? this.loaded.get(key) : undefined;
    if (known) {
      this.saved++;
      return known;
    }
    let waiting = this.waiting.get(batch.key);
    if (!waiting) {
      const own: Waiting = { batch, field, wanted: new Map() };
      this.waiting.set(batch.key, (waiting = own));
      queueMicrotask(() => {
        this.waiting.delete(batch.key);
        this.flush(own);
      });
    }
    let wish = waiting.wanted.get(loadKey(value));
    if (wish) this.saved++;
    else waiting.wanted.set(loadKey(value), (wish = wishFor(value)));
    if (this.once) this.loaded.set(key, wish.found);
    return wish.found;
  }

  private flush({ batch, field, wanted }: Waiting): void {
    const all = [...wanted];
    for (let from = 0; from < all.length; from += batch.most) {
      const some = all.slice(from, from + batch.most);
      this.call(batch.call(some.map(([, w]) => w.value)), field)
        .then((reply) => {
          const items = batch.items(reply);
          for (const [key, w] of some) w.give(items.get(key) ?? []);
        })
        .catch((error: unknown) => {
          for (const [, w] of some) w.fail(error);
        });
    }
  }

  call(call: GraphCall, field: string): Promise<GraphReply> {
    const key = this.once ? keyOf(call) : '';
    const found = this.once ? this.known.get(key) : undefined;
    if (found) {
      this.saved++;
      if (!found.made.fields.includes(field)) found.made.fields.push(field);
      return found.reply;
    }
    const { clock } = this.run.ports;
    const made: GraphCallMade = { operation: call.operation, fields: [field], startMs: clock.now(), ms: 0, status: 0 };
    this.made.push(made);
    const reply = this.send(call).then((r) => {
      made.ms = clock.now() - made.startMs;
      made.status = r.status;
      return r;
    });
    if (this.once) this.known.set(key, { reply, made });
    return reply;
  }

  private async send(call: GraphCall): Promise<GraphReply> {
    const { run } = this;
    const n = this.count++;
    const operation = this.document.operations[call.operation]!;
    const message = messageOf(operation, call, this.document.types);
    const own = run.fork();
    const guard = this.guards.get(call.operation);
    if (guard) {
      // Its guards see what the caller sent, keys included; the operation does not.
      const seen = asCalled(run, message, call);
      try {
        await guard(seen);
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        return { status: error.status, value: problemOf(error, message.path ?? '/', run.more.traceId ?? '') };
      }
      own.identity = seen.identity;
    }
    const inner: InnerEnd = await run.more.inner!({
      operation: call.operation,
      message,
      run: own,
      at: `/0/calls/${n}`,
      made: true,
    });
    run.backendMs += inner.backendMs;
    await inner.reply.body.load();
    const type = inner.reply.headers['content-type'] ?? '';
    const value = inner.reply.body.isEmpty
      ? undefined
      : /json/i.test(type)
        ? bodyValue(inner.reply)
        : inner.reply.body.text();
    return { status: inner.reply.status ?? 200, value };
  }
}

/** The same for the same call. Most have one or two values in the path and nothing else. */
function keyOf({ operation, path, query, headers, body }: GraphCall): string {
  let key = operation;
  for (const name in path) {
    const value = path[name];
    if (typeof value !== 'string') return writeJson([operation, path, query, headers, body ?? null]);
    key += `\n${name}\n${value.length} ${value}`;
  }
  return isBare(query) && isBare(headers) && body === undefined
    ? key
    : writeJson([operation, path, query, headers, body ?? null]);
}

function isBare(values: Readonly<Record<string, unknown>>): boolean {
  for (const _name in values) return false;
  return true;
}

interface Wish {
  readonly value: unknown;
  readonly found: Promise<readonly unknown[]>;
  readonly give: (items: readonly unknown[]) => void;
  readonly fail: (error: unknown) => void;
}

interface Waiting {
  readonly batch: Batch;
  readonly field: string;
  readonly wanted: Map<string, Wish>;
}

function wishFor(value: unknown): Wish {
  let give: Wish['give'] = () => undefined;
  let fail: Wish['fail'] = () => undefined;
  const found = new Promise<readonly unknown[]>((resolve, reject) => {
    give = resolve;
    fail = reject;
  });
  return { value, found, give, fail };
}

/** What the caller's fields say of its own body. */
const OWN_BODY = new Set(['content-length', 'transfer-encoding']);

/** The caller's request as a call of one operation: its credentials and address, the message and values of the call. */
function asCalled(run: Run, message: Message, call: GraphCall): Run {
  const { came } = run;
  const headers = withFields(came.message.headers, message.headers, OWN_BODY);
  const own: Message = { ...message, headers };
  const seen = run.fork(own);
  seen.request = { ...came, message: own, method: message.method ?? 'GET', path: call.path, query: call.query };
  // What one field has left is nothing that the whole reply could say.
  seen.replyHeaders = {};
  return seen;
}

const forms = new WeakMap<ParameterDocument, ParameterForm>();

function formOf(p: ParameterDocument, types: TypeTable): ParameterForm {
  let form = forms.get(p);
  if (!form) forms.set(p, (form = parameterForm(p, types)));
  return form;
}

/** The request of an operation as a caller would send it: parameters in their styles (OpenAPI 3.1 §4.8.12). */
function messageOf(operation: OperationDocument, call: GraphCall, types: TypeTable = {}): Message {
  const values = { path: call.path, query: call.query, header: call.headers } as const;
  let { path } = operation;
  const query: string[] = [];
  const headers: Record<string, string> = { accept: PLAIN };
  for (const p of operation.parameters ?? []) {
    if (p.in === 'cookie') continue;
    const value = values[p.in][p.name];
    if (value === undefined) continue;
    const form = formOf(p, types);
    if (p.in === 'path') path = path.replace(`{${p.name}}`, () => writeSimple(form, value));
    else if (p.in === 'header') headers[p.name.toLowerCase()] = writeSimple(form, value);
    else query.push(...writeQuery(form, value));
  }
  const mediaType = operation.request?.mediaType ?? PLAIN;
  if (call.body !== undefined) headers['content-type'] = PLAIN;
  return {
    method: operation.method,
    path: query.length ? `${path}?${query.join('&')}` : path,
    headers,
    body:
      call.body === undefined
        ? Body.empty()
        : Body.ofText(writeJson(call.body), /json/i.test(mediaType) ? mediaType : PLAIN),
    format: 'JSON',
  };
}
