/**
 * What members of a document are, where their schema does not say it itself: by `parent.member`, or by `member` where it means the same everywhere. The
 * parent is the nearest member above, or the kind of a step or a guard.
 */
const WORDS: Readonly<Record<string, string>> = {
  api: 'What the API is called, and who sees it',
  'api.name': 'Name of the API, for people',
  'api.version': 'Version of its contract',
  'api.description': 'What it is for; Markdown',
  'api.tags': 'Words that it is found by',
  groups: 'Those whose members see it',
  guards: 'What looks at a request before anything else does; the nearest one of a kind counts',
  plans: 'What apps may subscribe to, by name',
  backends: 'The services behind the API, by the names that steps use',
  types: 'Schemas by name; referred to as #/types/NAME',
  operations: 'What callers can do, by id',
  brokers: 'Where topics live, by name',
  cases: 'Requests that are kept, with what must come of them',
  doors: 'Ways in to the API',
  'doors.name': 'Name of the door',
  'doors.path': 'Base path: what all its paths begin with',
  'doors.hosts': 'Host names that it answers for; every host when absent',
  off: 'true: it does not act',
  note: 'A remark for whoever reads the document',
  name: 'A name for people',
  kind: 'Which kind it is',
  description: 'More words, for whoever reads the contract; Markdown',
  summary: 'What it does, in one line',
  title: 'A title for people',
  tags: 'Words that it is found by',
  'cors.origins': 'Origins whose pages may call; * is any',
  kty: 'Kind of the key (RFC 7517 §4.1)',
  'rate.calls': 'So many calls …',
  'rate.seconds': '… in any span of so many seconds',
  'quota.calls': 'So many calls in each period',
  'concurrency.calls': 'So many calls at the same time',
  'size.maxBytes': 'Bytes that a request body may have',
  expression: 'JSONata; calls for which it gives the same are counted together',
  'timestamp.header': 'Header that holds the time',
  'timestamp.toleranceSeconds': 'How old it may be',
  'apps.name': 'Name of the app, for people',
  'apps.plan': 'The plan that it is subscribed to',
  'plans.name': 'Name of the plan, for people',
  'contract.kind': 'What the contract is written in',
  user: 'Name that the gateway signs in with',
  in: 'Where it stands in the request',
  'credentials.name': 'Name of the header, query parameter or cookie',
  tokenUrl: 'Where tokens are got (RFC 6749 §4.4)',
  clientId: 'What the gateway is called there',
  'credentials.scopes': 'Scopes that are asked for',
  parameters: 'Path, query, header and cookie parameters',
  request: 'The body that callers send',
  reply: 'What callers get when all goes well',
  flow: 'Steps, one behind the other',
  'soap.backend': 'Backend whose contract it is',
  'soap.operation': 'Operation of that contract',
  'parameters.name': 'Its name where it stands',
  required: 'true: it must be there',
  mediaType: 'Media type of the body, e.g. application/json',
  examples: 'Examples by name',
  style: 'How lists and objects are written (OpenAPI)',
  explode: 'A name for each item or member',
  status: 'HTTP status',
  value: 'The value itself',
  headers: 'Header fields by name',
  fields: 'Fields of the target, each with what fills it',
  'to.backend': 'The backend; absent for an operation inside the gateway',
  'to.api': 'Name of the API on the gateway; this one when absent',
  'to.operation': 'The operation whose request is made',
  retry: 'Whether a call that failed is tried again',
  breaker: 'Whether an address that keeps failing is left alone for a while',
  routes: 'Where the call goes: the first row that holds',
  'routes.name': 'Name of the row, for people',
  is: 'How it is compared',
  address: 'http or https address',
  weight: 'Its share of the calls; 0 for none',
  'lines.name': 'Name of the line, for people',
  settings: 'How XML and CSV stand as JSON, where no schema says it',
  type: 'Name of a type of this document',
  subject: 'JSONata for what the event is about',
  joins: 'Fields of types that another operation fills',
  limits: 'How much a query may ask for',
  by: 'How it comes',
  field: 'Name of the new field',
  example: 'A value that it may have',
  'keep.events': 'So many of the last events …',
  'keep.seconds': '… of so many of the last seconds',
  everySeconds: 'How often it is asked, in seconds',
  'cases.name': 'Name of the case',
  operation: 'Id of an operation',
  'cases.request': 'What comes in',
  expect: 'What must come of it',
  'request.path': 'Path parameters by name; * for what a wildcard takes',
  'request.query': 'Query parameters by name',
  'request.headers': 'Header fields by name',
  'request.cookies': 'Cookies by name',
  'request.body': 'Body: a JSON value, or a text as it is sent',
  'app.id': 'Id of the app',
  'app.name': 'Name of the app',
  'app.plan': 'Its plan, by id or name',
  'app.values': 'Values of the plan',
  backend: 'Name of a backend of this document',
  'stubs.status': 'Status of the answer; 200 when absent',
  'stubs.headers': 'Header fields of the answer',
  failure: 'There is no answer, for this reason',
  delayMs: 'The answer takes so many milliseconds',
  'when.path': 'Path with query of the request',
  'when.contains': 'A part of the text of its body',
  'fault.name': 'Name of a declared fault; the first when absent',
  'fault.reason': 'Its reason, for people',
  'fault.detail': 'Its detail, as JSON',
  'expect.status': 'Status of the reply',
  'expect.headers': 'Header fields that it has, with their values',
  'parts.is': 'What stands there',
  matches: 'Pattern of the text that stands there (ECMA-262)',
  exists: 'Whether something stands there',
  'steps.at': 'Pointer of a step in the flow',
  taken: 'Whether it ran',
  'text.format': 'Whether it is YAML or JSON',
  'text.source': 'The text itself',
};

/** Examples of members that no document of `examples` has, by the same keys. */
const EXAMPLES: Readonly<Record<string, unknown>> = {
  limits: { expressionMs: 50 },
  'graph.limits': { depth: 6, cost: 500 },
  tags: ['harbour'],
  'api.visibility': 'signedIn',
  groups: ['agents'],
  hosts: ['api.tarnhaven.example'],
  before: [{ kind: 'check', against: 'request' }],
  after: [{ kind: 'convert', to: 'csv' }],
  'cors.headers': ['X-Office'],
  expose: ['X-Total'],
  deny: ['10.1.0.0/16'],
  need: { 'X-Office': ['TH-22', 'TH-01'] },
  fingerprints: ['07079213eabde49ede215223cb1bea30be7502aacfdada58c6f1899f20287f49'],
  'key.query': 'key',
  keys: [{ kty: 'EC', crv: 'P-256', x: '…', y: '…' }],
  'apps.keys': ['07079213eabde49ede215223cb1bea30be7502aacfdada58c6f1899f20287f49'],
  algorithms: ['ES256'],
  scopes: ['quays.read'],
  app: ['client_id'],
  'cases.app': { id: 'pilot', plan: 'small' },
  per: 'address',
  expression: 'headers.`x-office`',
  timestamp: { header: 'X-Timestamp', toleranceSeconds: 300 },
  'timestamp.header': 'X-Timestamp',
  secrets: ['07079213eabde49ede215223cb1bea30be7502aacfdada58c6f1899f20287f49'],
  description: 'Berths of the harbour and their reservations.',
  port: 'Soap12',
  files: { 'dues.wsdl': '<wsdl:definitions …' },
  addresses: { sandbox: 'http://127.0.0.1:4413', production: 'https://dues.tarnhaven.example' },
  credentials: [{ kind: 'bearer', secret: 'duesToken' }],
  user: 'gateway',
  secret: 'duesToken',
  'key.name': 'X-API-Key',
  tokenUrl: 'https://login.tarnhaven.example/token',
  clientId: 'gateway',
  audience: 'quays',
  soap: { backend: 'dues', operation: 'GetDues' },
  'soap.backend': 'dues',
  'soap.operation': 'GetDues',
  summary: 'One berth by its number',
  mediaType: 'application/json',
  'others.mediaType': 'application/x-www-form-urlencoded',
  encoding: { picture: 'image/png' },
  styles: { ids: { style: 'form', explode: false } },
  examples: { small: { value: { id: 'N-07' } } },
  value: { id: 'N-07' },
  'when.value': 'TH-22',
  'notIf.value': 400,
  others: [{ mediaType: 'application/x-www-form-urlencoded', schema: { type: 'object' } }],
  schema: { type: 'object', required: ['id'], properties: { id: { type: 'string' } } },
  headers: { 'x-office': 'TH-22' },
  'otherReplies.headers': { 'X-Total': { schema: { type: 'integer' } } },
  'when.of': 'query.kind',
  'notIf.of': 'status',
  name: 'berth',
  note: 'The old office closes at six.',
  api: 'berths',
  whole: '{ "berths": body.berth.{ "id": number } }',
  routes: [{ when: "query.year >= '2026'", address: 'http://127.0.0.1:4420' }, { name: 'the rest' }],
  'routes.name': 'this year',
  when: { of: 'body.lengthMetres', is: 'atLeast', value: 120 },
  address: 'http://127.0.0.1:4417',
  shares: [
    { address: 'http://127.0.0.1:4417', weight: 9 },
    { address: 'http://127.0.0.1:4418', weight: 1 },
  ],
  retry: { times: 2, waitMs: 100 },
  on: ['unreachable', 'timeout', '503'],
  breaker: { failures: 5, windowS: 30, restS: 10 },
  default: { wind: null },
  failures: [{ on: ['any'], flow: [{ kind: 'reply', status: 202 }] }],
  flow: [{ kind: 'call', backend: 'berths' }],
  'remember.tags': ["'quay ' & path.quay"],
  root: 'berths',
  settings: { attribute: '@', typed: true },
  attribute: '@',
  'settings.text': '#text',
  lists: ['berth'],
  delimiter: ';',
  type: 'Berth',
  'publish.parameters': { quay: 'body.quay' },
  data: '{ "callNumber": body.callNumber }',
  id: 'body.id',
  'publish.type': "'arrived'",
  once: 'headers.`idempotency-key`',
  from: 'body.berth',
  template: 'Berth {{ body.id }} is free.',
  backend: 'berths',
  subscriptions: { by: 'websocket', path: '/live' },
  path: '/live',
  list: { by: 'id', items: '/vessels', most: 50 },
  by: 'id',
  'list.items': '/vessels',
  sample: '{ getCall(id: "4") { vessel { name } } }',
  queries: { nameOfCall: 'query ($id: String!) { getCall(id: $id) { vessel { name } } }' },
  costs: { listVessels: 5 },
  fields: { 'Vessel.name': { guards: [{ kind: 'key' }] } },
  guards: [{ kind: 'key', header: 'X-API-Key' }],
  brokers: { harbour: { address: 'mqtt://127.0.0.1:1883' } },
  'brokers.address': 'mqtt://127.0.0.1:1883',
  title: 'Arrivals',
  broker: 'harbour',
  'topics.address': 'quays/{quay}/arrivals',
  'topics.parameters': { quay: { values: ['north', 'south'] } },
  values: ['north', 'south'],
  example: 'north',
  qos: 1,
  door: { path: '/arrived', publish: false },
  'door.path': '/arrived',
  where: "body.quay = 'north'",
  callback: { path: '/back', guards: [{ kind: 'signature', secret: 'hookSecret' }] },
  'callback.path': '/back',
  'callback.once': 'X-Delivery',
  challenge: 'hub.challenge',
  'callback.from': ['https://agents.example/topics/arrivals'],
  consumers: { keeper: { topic: 'arrived', operation: 'keepArrival' } },
  topic: 'arrived',
  operation: 'keepArrival',
  dead: 'lost',
  polls: { watch: { operation: 'listCalls', everySeconds: 30, items: 'body.calls', key: 'id', topic: 'arrived' } },
  items: 'body.calls',
  'polls.key': 'id',
  version: 'changedAt',
  'polls.parameters': { quay: "'north'" },
  cookies: { session: 'a1' },
  reason: 'No such vessel',
  parts: [{ at: '/amount', is: 120.5 }],
  at: '/amount',
  'parts.is': 120.5,
  matches: '^TV-\\d+$',
  ignore: ['/id', '/items/*/at'],
  steps: [{ at: '/1', taken: true }],
  'steps.at': '/1',
  text: { format: 'yaml', source: 'openapi: 3.1.0' },
  source: 'openapi: 3.1.0',
  'faults.title': 'No such vessel',
  'check.against': 'reply',
};

interface Schema {
  $ref?: string;
  type?: string | string[];
  const?: unknown;
  enum?: unknown[];
  minimum?: number;
  description?: string;
  examples?: unknown[];
  properties?: Record<string, Schema>;
  required?: string[];
  additionalProperties?: Schema | boolean;
  items?: Schema;
  anyOf?: Schema[];
  oneOf?: Schema[];
  $defs?: Record<string, Schema>;
}

/**
 * Gives each member of a published schema its words and an example: out of the documents where one has the member, else one that is said here, else one
 * that its type allows. Changes the schema in place.
 */
export function describeMembers(schema: unknown, documents: readonly unknown[] = []): void {
  const root = schema as Schema;
  for (const d of documents) illustrate(root, d, root);
  const known = new Map<string, unknown>();
  members(root, '', (key, _keys, member) => {
    if (member.examples && !known.has(key)) known.set(key, member.examples[0]);
  });
  members(root, '', (key, keys, member) => {
    member.description ??= keys.map((k) => WORDS[k]).find((w) => w !== undefined);
    if (member.examples !== undefined) return;
    const said = keys.find((k) => Object.hasOwn(EXAMPLES, k));
    const example = known.get(key) ?? allowed(member) ?? (said === undefined ? undefined : EXAMPLES[said]);
    if (example !== undefined) member.examples = [example];
  });
}

/** A value beside its schema: the first small value of a member is its example. */
function illustrate(given: Schema, value: unknown, root: Schema): void {
  const s = given.$ref === undefined ? given : root.$defs?.[given.$ref.replace('#/$defs/', '')];
  if (!s || value === null || typeof value !== 'object') return;
  for (const option of [...(s.anyOf ?? []), ...(s.oneOf ?? [])])
    if (fits(option, value)) illustrate(option, value, root);
  if (Array.isArray(value)) {
    if (s.items) for (const v of value) illustrate(s.items, v, root);
    return;
  }
  for (const [name, v] of Object.entries(value)) {
    const member = s.properties?.[name];
    if (member) {
      if (member.examples === undefined && JSON.stringify(v).length < 300) member.examples = [v];
      illustrate(member, v, root);
    } else if (typeof s.additionalProperties === 'object') illustrate(s.additionalProperties, v, root);
  }
}

/** Of several forms those that have every member of the value, and its kind. */
function fits(option: Schema, value: object): boolean {
  if (Array.isArray(value)) return option.type === 'array';
  if (option.anyOf ?? option.oneOf ?? option.$ref) return true;
  const { properties } = option;
  if (!properties) return option.type === 'object';
  return Object.entries(value).every(
    ([k, v]) => properties[k] && (properties[k].const === undefined || properties[k].const === v),
  );
}

type Visit = (key: string, keys: readonly string[], member: Schema) => void;

/** Every member of a schema; `keys` from the nearest to the plainest. */
function members(schema: Schema, parent: string, visit: Visit): void {
  const kind = schema.properties?.kind?.const;
  const owner = typeof kind === 'string' ? kind : parent;
  for (const [name, member] of Object.entries(schema.properties ?? {})) {
    visit(
      `${owner === parent ? '' : 'kind '}${owner}.${name}`,
      [`${owner}.${name}`, `${parent}.${name}`, name],
      member,
    );
    members(member, name, visit);
  }
  const inner = [schema.items, schema.additionalProperties, ...(schema.anyOf ?? []), ...(schema.oneOf ?? [])];
  for (const s of [...inner, ...Object.values(schema.$defs ?? {})]) if (typeof s === 'object') members(s, owner, visit);
}

/** A value of a simple type. */
function allowed(s: Schema): unknown {
  if (s.const !== undefined) return s.const;
  if (s.enum) return s.enum.at(-1);
  if (s.type === 'boolean') return true;
  if ((s.type === 'integer' || s.type === 'number') && s.minimum !== undefined) return Math.max(s.minimum, 1);
  return undefined;
}
