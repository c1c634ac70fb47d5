import type { Contract, ContractOperation } from '../contract';
import { pathShape } from '../flow/check';
import { resolveSchema, typeRows, typesOf, withoutNull, type JsonSchema, type TypeRow } from '../schema';
import { kebab, plural, pluralNoun, readName, singularWord, words, type Reading } from './names';

/** Where a field of a backend request comes from, seen by callers. */
export const FIELD_PLACES = ['path', 'query', 'header', 'cookie', 'body'] as const;
export type FieldPlace = (typeof FIELD_PLACES)[number];
export const PLANNED_METHODS = ['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'HEAD', 'OPTIONS'] as const;

export interface PlannedField {
  /** Target in the backend's request, e.g. /body/id or /soapHeader/officeCode. */
  readonly target: string;
  /** Name that callers use. */
  name: string;
  place: FieldPlace;
  readonly required: boolean;
  readonly words: string;
  readonly description?: string;
  /** Only a field with one simple value, or a list of them, can leave the body. */
  readonly simple: boolean;
}

/** One row of the review: everything that may be changed before the draft is made. */
export interface PlannedOperation {
  readonly operation: string;
  include: boolean;
  id: string;
  method: (typeof PLANNED_METHODS)[number];
  path: string;
  status: number;
  summary: string;
  fields: PlannedField[];
  /** Why it looks as it does, or why it cannot be offered. */
  note?: string;
}

/** A plan for REST, one row for each operation, sensible on first sight. Rows are plain data: they travel to the screen and back. */
export function planRest(contract: Contract): PlannedOperation[] {
  const taken = new Set<string>();
  return contract.operations.map((op) => {
    if (op.unusable) return unusable(op);
    const row = planOne(op, contract);
    const wanted = row.path;
    // Ids are kept apart, so that the last of these is free, or is at some number.
    for (let n = 0; taken.has(pathShape(row.method, row.path)); n++) {
      const name = n === 0 ? op.name : n === 1 ? op.id : `${op.id} ${n}`;
      row.note = `${row.method} ${wanted} is taken by another operation`;
      row.path = `/${kebab(words(name))}${row.fields
        .filter((f) => f.place === 'path')
        .map((f) => `/{${f.name}}`)
        .join('')}`;
    }
    taken.add(pathShape(row.method, row.path));
    return row;
  });
}

function unusable(op: ContractOperation): PlannedOperation {
  return {
    operation: op.id,
    include: false,
    id: op.id,
    method: 'POST',
    path: `/${kebab(words(op.name))}`,
    status: 200,
    summary: op.documentation ?? '',
    fields: [],
    note: `cannot be called: ${op.unusable}`,
  };
}

function planOne(op: ContractOperation, contract: Contract): PlannedOperation {
  const name = op.graphql ? graphReading(op, contract) : readName(op.name);
  const rows = typeRows(op.request.body, contract.types).filter((r) => r.depth === 0);
  const headers = headerFields(op);
  const replyEmpty =
    !op.reply || (!op.graphql && !Object.keys(resolveSchema(op.reply.body, contract.types).properties ?? {}).length);
  const base = { operation: op.id, include: true, id: op.id, summary: op.documentation ?? '' };
  const okStatus = op.reply ? (replyEmpty ? 204 : 200) : 202;
  const make = (
    method: PlannedOperation['method'],
    path: string,
    fields: PlannedField[],
    status = okStatus,
    note?: string,
  ): PlannedOperation => ({
    ...base,
    method,
    path,
    status,
    fields: [...fields, ...headers],
    ...(note && { note }),
  });

  const noun = name.noun.length ? name.noun : [words(contract.name)[0] ?? 'service'];
  const key = keyOf(rows, noun);
  // A header block that is no simple value goes in the body (INTERFACES), which GET and DELETE have none of.
  const blocks = headers.some((h) => h.place === 'body');
  const flat = blocks ? undefined : flatten(op, contract);
  const why = blocks ? 'a header block needs a body' : 'the criteria are too deep for a query string';
  const inBody = () => rows.map((r) => field(r, 'body'));
  const keyed = (place: FieldPlace) => rows.map((r) => field(r, r === key ? 'path' : place));
  // An operation that somebody named is called so.
  const collection = `/${op.graphql && !op.graphql.drafted ? kebab(noun) : pluralNoun(noun)}`;

  // Who reads something sends neither bytes nor what nobody has described.
  const sends = typeRows(op.request.body, contract.types).some((r) => r.words === 'base64' || isOpen(r));
  switch (sends && (name.intent === 'get' || name.intent === 'find') ? 'act' : name.intent) {
    case 'get':
      if (rows.length === 0 && !blocks) return make('GET', `/${kebab(noun)}`, []);
      if (key && flat) return make('GET', `${collection}/{${key.name}}`, rest(flat, key, 'query'));
      if (flat) return make('GET', key ? `${collection}/{${key.name}}` : `/${kebab(noun)}`, rest(flat, key, 'query'));
      return make('POST', `/${kebab(noun)}/query`, inBody(), okStatus, why);
    case 'find':
      if (flat) return make('GET', collection, rest(flat, undefined, 'query'));
      return make('POST', `${collection}/query`, inBody(), okStatus, why);
    case 'create': {
      const target = name.result ? `/${plural(name.result)}` : collection;
      return make('POST', target, inBody(), op.reply && !replyEmpty ? 201 : okStatus);
    }
    case 'change':
    case 'replace': {
      const method = name.intent === 'change' ? 'PATCH' : 'PUT';
      return key
        ? make(method, `${collection}/{${key.name}}`, keyed('body'))
        : make(method, `/${kebab(noun)}`, inBody());
    }
    case 'delete':
      if (key && flat) return make('DELETE', `${collection}/{${key.name}}`, rest(flat, key, 'query'));
      if (key) return make('POST', `${collection}/{${key.name}}/${actionNoun(name)}`, keyed('body'));
      return make('POST', `/${kebab(words(op.name))}`, inBody());
    case 'act':
      return make('POST', `/${kebab(words(op.name))}`, inBody());
  }
}

/** A field of Query reads, whatever it is called: one thing or many, as its type says. */
function graphReading(op: ContractOperation, contract: Contract): Reading {
  const read = readName(op.name);
  if (op.graphql!.kind === 'mutation' || (read.intent !== 'act' && read.intent !== 'create')) return read;
  const list = typesOf(resolveSchema(op.reply!.body, contract.types)).includes('array');
  return { ...read, intent: list ? 'find' : 'get', noun: words(op.name) };
}

const isOpen = (r: TypeRow): boolean => r.name === '$any' || r.name === '$attributes';

const actionNoun = (name: Reading): string => (name.verb === 'cancel' ? 'cancellation' : 'removal');

function field(r: TypeRow, place: FieldPlace, target = `/body${r.pointer}`): PlannedField {
  const simple = r.leaf && !r.recursive;
  return {
    target,
    name: r.name,
    place: simple ? place : 'body',
    required: r.required,
    words: r.words,
    description: r.description,
    simple,
  };
}

function rest(rows: readonly TypeRow[], key: TypeRow | undefined, place: FieldPlace): PlannedField[] {
  return rows.map((r) => field(r, key && r.pointer === key.pointer ? 'path' : place));
}

/** Required SOAP header blocks: simple ones become header parameters, others body properties (INTERFACES). */
function headerFields(op: ContractOperation): PlannedField[] {
  return op.request.headers.map((h) => {
    const simple = h.schema.$ref === undefined && !typesOf(h.schema).includes('object');
    return {
      target: `/soapHeader/${h.name}`,
      name: h.name,
      place: simple ? 'header' : 'body',
      required: h.required,
      words: simple ? (typesOf(h.schema)[0] ?? 'string') : h.name,
      description: h.documentation,
      simple,
    };
  });
}

/**
 * All leaves of the request, if a query string can carry them: simple values and lists of them, nested objects opened
 * where their leaves keep apart names. Undefined when it cannot.
 */
function flatten(op: ContractOperation, contract: Contract): TypeRow[] | undefined {
  const rows = typeRows(op.request.body, contract.types);
  if (rows.some((r) => r.recursive || (r.many && !r.leaf) || (r.leaf && r.words === 'anything'))) return undefined;
  // A nullable object, or one of several forms, says more than its leaves can.
  for (const r of rows) if (!r.leaf && r.nullable) return undefined;
  if (hasChoice(op.request.body, contract)) return undefined;
  const optional = new Set(rows.filter((r) => !r.leaf && !r.required).map((r) => r.pointer));
  const leaves = rows
    .filter((r) => r.leaf)
    .map((r) => {
      const inOptional = [...optional].some((o) => r.pointer.startsWith(`${o}/`));
      return inOptional ? { ...r, required: false } : r;
    });
  if (new Set(leaves.map((r) => r.name)).size < leaves.length || leaves.length > 20) return undefined;
  // An optional object with a required leaf inside: given is given whole. A query string cannot say so, the body can.
  for (const o of optional)
    if (
      rows.some((r) => r.leaf && r.required && r.pointer.startsWith(`${o}/`)) &&
      rows.filter((r) => r.leaf && r.pointer.startsWith(`${o}/`)).length > 8
    )
      return undefined;
  return leaves;
}

function hasChoice(schema: JsonSchema, contract: Contract): boolean {
  const seen = new Set<JsonSchema>();
  const look = (s: JsonSchema): boolean => {
    const r = resolveSchema(withoutNull(s, contract.types).inner, contract.types);
    if (seen.has(r)) return false;
    seen.add(r);
    if (r.oneOf || r.allOf?.some((a) => a.oneOf)) return true;
    return Object.values(r.properties ?? {}).some(look) || (r.items ? look(r.items) : false);
  };
  return look(schema);
}

const KEY_WORDS = new Set([
  'id',
  'identifier',
  'number',
  'no',
  'nr',
  'code',
  'key',
  'ref',
  'reference',
  'name',
  'symbol',
  'uuid',
  'guid',
]);

/** The field that names one thing: the only required one, or the one whose name says so. */
function keyOf(rows: readonly TypeRow[], noun: readonly string[]): TypeRow | undefined {
  const simple = rows.filter((r) => r.leaf && r.required && !r.many && !r.nullable);
  if (simple.length === 0) return undefined;
  const last = singularWord(noun[noun.length - 1] ?? '');
  const score = (r: TypeRow): number => {
    const w = words(r.name);
    const tail = w[w.length - 1]!;
    if (r.name === 'id') return 5;
    if (w.includes(last) && (w.length === 1 || KEY_WORDS.has(tail))) return 4;
    if (KEY_WORDS.has(tail) && w.length > 1) return 2;
    if (KEY_WORDS.has(tail)) return 3;
    return 0;
  };
  const best = simple.reduce((a, b) => (score(b) > score(a) ? b : a));
  if (score(best) > 0) return best;
  return simple.length === 1 ? simple[0] : undefined;
}

/** Places that a field may take under a method: a body only where the method has one. */
export function placesFor(row: PlannedOperation, f: PlannedField): FieldPlace[] {
  // What a contract calls a parameter stays one.
  if (/^\/(path|query|headers|cookies)\//.test(f.target)) return ['path', 'query', 'header', 'cookie'];
  const places: FieldPlace[] = f.simple ? ['path', 'query', 'header'] : [];
  if (row.method !== 'GET' && row.method !== 'DELETE') places.push('body');
  return f.simple || places.length ? places : ['body'];
}

/** What is wrong with a plan, by operation: two on one path, path and fields that do not agree, a body where none can be. */
export function planProblems(plan: readonly PlannedOperation[]): Map<string, string[]> {
  const problems = new Map<string, string[]>();
  const tell = (op: string, text: string) => problems.set(op, [...(problems.get(op) ?? []), text]);
  const shapes = new Map<string, string>();
  const ids = new Map<string, string>();
  for (const row of plan) {
    if (!row.include) continue;
    const first = shapes.get(pathShape(row.method, row.path));
    if (first) tell(row.operation, `${row.method} ${row.path} is also the path of ${first}`);
    else shapes.set(pathShape(row.method, row.path), row.id);
    if (ids.has(row.id)) tell(row.operation, `the name ${row.id} is used twice`);
    ids.set(row.id, row.operation);
    if (!/^[A-Za-z_][A-Za-z0-9_-]{0,99}$/.test(row.id))
      tell(row.operation, 'a name starts with a letter and holds only letters, digits, _ and -');
    if (!/^\/[^\s?#]*$/.test(row.path)) tell(row.operation, 'a path starts with / and holds neither space, ? nor #');
    const named = [...row.path.matchAll(/\{([^}]*)\}/g)].map((m) => m[1]!);
    const inPath = row.fields.filter((f) => f.place === 'path').map((f) => f.name);
    for (const n of named) if (!inPath.includes(n)) tell(row.operation, `{${n}} in the path is no field`);
    for (const n of inPath)
      if (!named.includes(n)) tell(row.operation, `${n} goes to the path, but the path has no {${n}}`);
    // What a contract itself gives a body, keeps it (RFC 9110 §9.3.1, §9.3.5 leave its meaning open).
    const made = row.fields.filter((f) => f.place === 'body' && f.target !== '/body');
    if ((row.method === 'GET' || row.method === 'DELETE') && made.length)
      tell(row.operation, `${row.method} has no body: ${made.map((f) => f.name).join(', ')} must go elsewhere`);
    const seen = new Set<string>();
    for (const f of row.fields) {
      const key = `${f.place} ${f.name}`;
      if (seen.has(key)) tell(row.operation, `two fields are called ${f.name}`);
      seen.add(key);
    }
  }
  return problems;
}
