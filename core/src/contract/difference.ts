import {
  objectOf,
  refName,
  replySide,
  replyTypes,
  requestSide,
  requestTypes,
  resolveSchema,
  typesOf,
  withoutNull,
  type JsonSchema,
  type TypeTable,
} from '../schema';
import { essence } from '../message/headers';
import type { Contract, ContractOperation } from './model';
import { asJson, bodiesOf } from './openapi';

/** One thing that another version of a contract says otherwise, seen by whoever calls it. */
export interface Change {
  /** Operation, or undefined for the contract as a whole. */
  readonly operation?: string;
  /** Where: request or reply, then the pointer into its JSON, or a parameter. */
  readonly place: string;
  readonly words: string;
  /** breaking: calls that were right fail, or replies no longer hold what they promised; risky: they may. */
  readonly judged: 'breaking' | 'risky' | 'safe';
}

interface Side {
  readonly schema: JsonSchema;
  readonly types: TypeTable;
}

const MOST = 2_000;

/** What changed from one contract to another, operation by operation, judged for callers. */
export function compareContracts(before: Contract, after: Contract): Change[] {
  const out: Change[] = [];
  const old = new Map(before.operations.map((o) => [o.id, o]));
  const now = new Map(after.operations.map((o) => [o.id, o]));
  for (const o of before.operations) {
    const other = now.get(o.id);
    if (!other) out.push({ operation: o.id, place: 'operation', words: 'is gone', judged: 'breaking' });
    else compareOperations(o, before, other, after, out);
  }
  for (const o of after.operations)
    if (!old.has(o.id)) out.push({ operation: o.id, place: 'operation', words: 'is new', judged: 'safe' });
  return out.slice(0, MOST);
}

function compareOperations(
  a: ContractOperation,
  before: Contract,
  b: ContractOperation,
  after: Contract,
  out: Change[],
): void {
  const tell = (place: string, words: string, judged: Change['judged']) =>
    out.push({ operation: a.id, place, words, judged });
  if (!a.unusable && b.unusable) tell('operation', `can no longer be called: ${b.unusable}`, 'breaking');
  if (a.unusable && !b.unusable) tell('operation', 'can be called now', 'safe');
  if (a.soap && b.soap) {
    if (a.soap.action !== b.soap.action) tell('SOAPAction', `was "${a.soap.action}", is "${b.soap.action}"`, 'safe');
    if (a.soap.version !== b.soap.version)
      tell('envelope', `was SOAP ${a.soap.version}, is SOAP ${b.soap.version}`, 'safe');
    const [x, y] = [a.soap.input.body, b.soap.input.body];
    if (x && y && (x.uri !== y.uri || x.name !== y.name))
      tell('request', `is {${y.uri}}${y.name}, was {${x.uri}}${x.name}`, 'safe');
  }
  if (a.http && b.http && (a.http.method !== b.http.method || a.http.path !== b.http.path))
    tell('path', `is ${b.http.method} ${b.http.path}, was ${a.http.method} ${a.http.path}`, 'safe');
  parameters(a, before, b, after, tell);
  bodies(a, before, b, after, tell);
  if (a.reply && !b.reply) tell('reply', 'is gone', 'breaking');
  else if (!a.reply && b.reply) tell('reply', 'is new', 'safe');
  else if (a.reply && b.reply)
    new Comparison('reply', tell, false).compare(
      { schema: replySide(a.reply.body, before.types), types: replyTypes(before.types) },
      { schema: replySide(b.reply.body, after.types), types: replyTypes(after.types) },
      '',
    );
  replyFields(a, b, tell);
  const faults = new Set(b.faults.map((f) => f.name));
  for (const f of a.faults) if (!faults.has(f.name)) tell(`fault ${f.name}`, 'is gone', 'safe');
  for (const f of b.faults) if (!a.faults.some((x) => x.name === f.name)) tell(`fault ${f.name}`, 'is new', 'risky');
}

/** Header fields that replies promise, by their names alone (RFC 9110 §5.1: in any case). */
function replyFields(a: ContractOperation, b: ContractOperation, tell: Tell): void {
  const all = (o: ContractOperation) =>
    new Map(
      (o.http?.replies ?? []).flatMap((r) =>
        (r.headers ?? []).map((h) => [`reply ${r.status} header ${h.name.toLowerCase()}`, h.required] as const),
      ),
    );
  const [old, now] = [all(a), all(b)];
  for (const [key, required] of old) if (!now.has(key)) tell(key, 'is gone', required ? 'breaking' : 'risky');
  for (const key of now.keys()) if (!old.has(key)) tell(key, 'is new', 'safe');
}

/** The first body against the first, others by their media types. */
function bodies(a: ContractOperation, before: Contract, b: ContractOperation, after: Contract, tell: Tell): void {
  const [[first, ...others], [own, ...now]] = [bodiesIn(a, before), bodiesIn(b, after)];
  if (a.http?.request && b.http?.request && a.request.mediaType !== b.request.mediaType)
    tell('request', `is sent as ${b.request.mediaType}, was ${a.request.mediaType}`, 'safe');
  new Comparison('request', tell, true).compare(first!, own!, '');
  for (const one of others) {
    const same = now.find((x) => x.mediaType === one.mediaType);
    if (same) new Comparison(`request as ${one.mediaType}`, tell, true).compare(one, same, '');
    else if (own!.mediaType !== one.mediaType) tell(`request as ${one.mediaType}`, 'is gone', 'breaking');
  }
  for (const { mediaType } of now)
    if (first!.mediaType !== mediaType && !others.some((x) => x.mediaType === mediaType))
      tell(`request as ${mediaType}`, 'is new', 'safe');
}

function bodiesIn(o: ContractOperation, { types: all }: Contract): (Side & { readonly mediaType: string })[] {
  const media = bodiesOf(o.http?.request?.media ?? [], all).map((m) => [essence(m.mediaType), asJson(m, all)] as const);
  const types = requestTypes(all);
  return (media.length ? media : [['', o.request.body] as const]).map(([mediaType, schema]) => ({
    mediaType,
    schema: requestSide(schema, all),
    types,
  }));
}

type Tell = (place: string, words: string, judged: Change['judged']) => void;

function parameters(a: ContractOperation, before: Contract, b: ContractOperation, after: Contract, tell: Tell): void {
  const all = (o: ContractOperation, types: TypeTable) => [
    ...(o.http?.parameters ?? []).map((p) => ({
      key: `${p.in} ${p.name}`,
      required: p.required,
      schema: p.schema,
      // How lists and objects are written means nothing for one value.
      form: p.mediaType ?? (isMany(p.schema, types) ? `${p.style}${p.explode ? ' exploded' : ''}` : ''),
    })),
    ...o.request.headers.map((h) => ({
      key: `header ${h.name}`,
      required: h.required,
      schema: h.schema,
      form: '',
    })),
  ];
  const old = new Map(all(a, before.types).map((p) => [p.key, p]));
  const now = new Map(all(b, after.types).map((p) => [p.key, p]));
  for (const [key, p] of old) {
    const other = now.get(key);
    if (!other) tell(key, 'is gone', 'breaking');
    else {
      if (!p.required && other.required) tell(key, 'is needed now', 'breaking');
      if (p.required && !other.required) tell(key, 'may be left out now', 'safe');
      if (p.form !== other.form && p.form && other.form)
        tell(key, `is written as ${other.form}, was ${p.form}; the gateway writes it so`, 'safe');
      new Comparison(key, tell, true).compare(
        { schema: p.schema, types: before.types },
        { schema: other.schema, types: after.types },
        '',
      );
    }
  }
  for (const [key, p] of now)
    if (!old.has(key)) tell(key, p.required ? 'is new and needed' : 'is new', p.required ? 'breaking' : 'safe');
}

function isMany(schema: JsonSchema, types: TypeTable): boolean {
  const s = resolveSchema(withoutNull(schema, types).inner, types);
  return typesOf(s).includes('array') || typesOf(s).includes('object') || s.properties !== undefined;
}

/** Two schemas, walked together. `sent`: callers send it, so less may be taken; else they read it, so less may come. */
class Comparison {
  private readonly seen = new Set<string>();

  constructor(
    private readonly place: string,
    private readonly tell: Tell,
    private readonly sent: boolean,
  ) {}

  compare(a: Side, b: Side, pointer: string): void {
    const key = `${refName(a.schema) ?? ''} ${refName(b.schema) ?? ''}`;
    if (key !== ' ') {
      if (this.seen.has(key)) return;
      this.seen.add(key);
    }
    const x = withoutNull(a.schema, a.types);
    const y = withoutNull(b.schema, b.types);
    const at = pointer === '' ? this.place : `${this.place} ${pointer}`;
    if (x.nullable && !y.nullable) this.tell(at, 'may no longer be null', this.sent ? 'breaking' : 'safe');
    if (!x.nullable && y.nullable) this.tell(at, 'may be null now', this.sent ? 'safe' : 'breaking');
    const s = resolveSchema(x.inner, a.types);
    const t = resolveSchema(y.inner, b.types);
    const [had, has] = [kinds(s), kinds(t)];
    if (had.length && has.length && had.join() !== has.join()) {
      const wider = had.every((k) => has.includes(k) || (k === 'integer' && has.includes('number')));
      this.tell(at, `was ${had.join(' or ')}, is ${has.join(' or ')}`, wider && this.sent ? 'safe' : 'breaking');
      return;
    }
    if (had.includes('array')) {
      this.bound(at, s.maxItems, t.maxItems, 'items', true);
      this.bound(at, s.minItems, t.minItems, 'items', false);
      this.compare(
        { schema: s.items ?? {}, types: a.types },
        { schema: t.items ?? {}, types: b.types },
        `${pointer}/*`,
      );
      return;
    }
    this.scalars(at, s, t);
    this.members({ schema: s, types: a.types }, { schema: t, types: b.types }, pointer);
  }

  private scalars(at: string, s: JsonSchema, t: JsonSchema): void {
    const gone = (s.enum ?? []).filter((v) => t.enum && !t.enum.includes(v));
    const fresh = (t.enum ?? []).filter((v) => s.enum && !s.enum.includes(v));
    const list = (v: readonly unknown[]) =>
      v
        .slice(0, 5)
        .map((x) => JSON.stringify(x))
        .join(', ');
    if (gone.length) this.tell(at, `no longer takes ${list(gone)}`, this.sent ? 'breaking' : 'safe');
    if (fresh.length) this.tell(at, `may be ${list(fresh)} now`, this.sent ? 'safe' : 'risky');
    if (!s.enum && t.enum) this.tell(at, `takes only ${list(t.enum)} now`, this.sent ? 'breaking' : 'safe');
    if (s.enum && !t.enum) this.tell(at, 'may be anything now', this.sent ? 'safe' : 'risky');
    if (s.pattern !== t.pattern && t.pattern) this.tell(at, `must match ${t.pattern}`, this.sent ? 'risky' : 'safe');
    if (s.format !== t.format && (s.format ?? t.format))
      this.tell(at, `has the format ${t.format ?? 'none'}, had ${s.format ?? 'none'}`, 'risky');
    this.bound(at, s.maxLength, t.maxLength, 'characters', true);
    this.bound(at, s.minLength, t.minLength, 'characters', false);
    this.bound(at, s.maximum, t.maximum, '', true);
    this.bound(at, s.minimum, t.minimum, '', false);
  }

  private bound(at: string, a: number | undefined, b: number | undefined, unit: string, upper: boolean): void {
    if (a === b) return;
    const tighter = b !== undefined && (a === undefined || (upper ? b < a : b > a));
    const words = `${upper ? 'at most' : 'at least'} ${b ?? 'any'} ${unit}, was ${a ?? 'any'}`.replace(/ +,/, ',');
    this.tell(at, words, tighter === this.sent ? (this.sent ? 'breaking' : 'risky') : 'safe');
  }

  private members(a: Side, b: Side, pointer: string): void {
    const s = objectOf(a.schema, a.types);
    const t = objectOf(b.schema, b.types);
    if (!s?.properties && !t?.properties) return;
    const old = s?.properties ?? {};
    const now = t?.properties ?? {};
    const at = (name: string) => `${this.place} ${pointer}/${name}`;
    for (const name of Object.keys(old)) {
      const next = now[name];
      if (!next) {
        this.tell(at(name), 'is gone', 'breaking');
        continue;
      }
      const [needed, needs] = [s?.required?.includes(name) ?? false, t?.required?.includes(name) ?? false];
      if (!needed && needs) this.tell(at(name), 'is needed now', this.sent ? 'breaking' : 'safe');
      if (needed && !needs) this.tell(at(name), 'may be absent now', this.sent ? 'safe' : 'breaking');
      this.compare({ schema: old[name]!, types: a.types }, { schema: next, types: b.types }, `${pointer}/${name}`);
    }
    for (const name of Object.keys(now)) {
      if (old[name]) continue;
      const needed = t?.required?.includes(name) ?? false;
      this.tell(
        at(name),
        needed && this.sent ? 'is new and needed' : 'is new',
        needed && this.sent ? 'breaking' : 'safe',
      );
    }
  }
}

const kinds = (s: JsonSchema): string[] =>
  typesOf(s)
    .filter((t) => t !== 'null')
    .sort();

/** Operations of a document's backend that its flows use: what a change there may touch. */
export function operationsUsed(
  document: { readonly operations: Readonly<Record<string, { readonly flow: readonly unknown[] }>> },
  backend: string,
): Map<string, string[]> {
  const out = new Map<string, string[]>();
  for (const [id, operation] of Object.entries(document.operations)) {
    for (const step of operation.flow as {
      backend?: string;
      operation?: string;
      to?: { backend?: string; operation?: string };
    }[]) {
      const target =
        step.backend === backend ? step.operation : step.to?.backend === backend ? step.to.operation : undefined;
      if (target === undefined) continue;
      const users = out.get(target) ?? [];
      if (!users.includes(id)) users.push(id);
      out.set(target, users);
    }
  }
  return out;
}
