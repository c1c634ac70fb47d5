import {
  compileApi,
  findingText,
  HeldTopics,
  incomingOf,
  MemoryStore,
  readJson,
  rehearse,
  runCases,
  unreachedFindings,
  writeJson,
  type CaseResult,
  type FlowDocument,
  type Identity,
  type Rehearsal,
  type SampleRequest,
  type ShownMessage,
} from '@hinge/core';
import { HttpBackends } from '@hinge/gateway';
import { randomBytes } from 'node:crypto';
import { applySetting, demand, readSecrets, readValues, slugsOf } from './documents';
import { Failure, lineOf } from './fail';
import { readText } from './files';

export interface RehearseArguments {
  readonly operation?: string;
  readonly request?: string;
  readonly set: readonly string[];
  readonly env?: string;
  readonly values?: string;
  readonly secrets?: string;
  readonly door?: string;
  /** Id of the app that calls. */
  readonly as?: string;
}

/** Everything that a rehearsal from the command line stands on. */
async function world(files: readonly string[], args: RehearseArguments) {
  const documents: FlowDocument[] = [];
  for (const file of files) documents.push(await demand(file));
  for (const s of args.set) applySetting(documents, s);
  const slugs = slugsOf(files);
  const named = new Map(slugs.map((slug, i) => [slug, documents[i]!]));
  const apis = new Map([...named].map(([slug, d]) => [slug, compileApi(d, (name) => named.get(name))]));
  const secrets = args.secrets === undefined ? {} : await readSecrets(args.secrets);
  const backends = new HttpBackends();
  const now = () => performance.now();
  const ports = {
    backends,
    clock: { now },
    store: new MemoryStore(now),
    topics: new HeldTopics(),
    secrets: { get: (name: string) => (Object.hasOwn(secrets, name) ? secrets[name] : undefined) },
  };
  const env = args.values === undefined ? {} : await readValues(args.values);
  const context = { ports, env, environment: args.env, apis: (name: string) => apis.get(name) };
  return { documents, slugs, apis, backends, context };
}

/** Runs every case of a document; one line for each, the misfits below it, then the lines that no case reaches. Exit code 1 when one fails. */
export async function rehearseAll(files: readonly string[], args: RehearseArguments, json: boolean): Promise<number> {
  const w = await world(files, args);
  const [file] = files;
  const document = w.documents[0]!;
  const cases = document.cases ?? [];
  if (!cases.length) throw new Failure(`${file} has no cases`);
  const tell = (r: CaseResult, n: number) => {
    if (json) return;
    const words = r.failure ?? (r.status ? String(r.status) : '');
    process.stdout.write(
      `${r.passed ? 'passed' : 'FAILED'}  ${n}/${cases.length}  ${r.operation}, ${r.name}: ${words}, ${Math.round(r.ms)} ms\n`,
    );
    for (const m of r.misfits) process.stdout.write(`        ${m.at}: wanted ${m.wanted}, found ${m.found}\n`);
  };
  const results = await runCases(w.apis.get(w.slugs[0]!)!, cases, w.context, tell);
  await w.backends.close();
  const unreached = unreachedFindings(document, results);
  const failed = results.filter((r) => !r.passed).length;
  if (json) process.stdout.write(`${writeJson({ results, unreached }, 2)}\n`);
  else {
    for (const f of unreached) process.stdout.write(`${findingText(f)}\n`);
    process.stdout.write(`${results.length - failed} passed, ${failed} failed\n`);
  }
  return failed ? 1 : 0;
}

const MEMBERS = ['path', 'query', 'headers', 'cookies', 'body'];

async function readSample(file: string): Promise<SampleRequest> {
  let value: unknown;
  try {
    value = readJson(await readText(file));
  } catch (error) {
    throw new Failure(`${file}: ${lineOf(error)}`);
  }
  if (value === null || typeof value !== 'object' || Array.isArray(value))
    throw new Failure(`${file}: write an object with ${MEMBERS.join(', ')}`);
  for (const name of Object.keys(value))
    if (!MEMBERS.includes(name))
      throw new Failure(`${file}: there is no member ${name} of a request; there are ${MEMBERS.join(', ')}`);
  for (const name of MEMBERS.slice(0, 4)) {
    const part = (value as Record<string, unknown>)[name];
    if (part !== undefined && (part === null || typeof part !== 'object' || Array.isArray(part)))
      throw new Failure(`${file}: ${name} must be an object of names and values`);
  }
  return value as SampleRequest;
}

function identityOf(document: FlowDocument, id: string | undefined): Identity | undefined {
  if (id === undefined) return undefined;
  const apps = document.apps ?? {};
  const app = Object.hasOwn(apps, id) ? apps[id] : undefined;
  if (!app) throw new Failure(`--as ${id}: there is no such app; there are ${Object.keys(apps).join(', ') || 'none'}`);
  const plan = app.plan === undefined ? undefined : document.plans?.[app.plan];
  return {
    app: { id, name: app.name ?? id },
    ...(app.plan !== undefined && { plan: { name: plan?.name ?? app.plan, values: plan?.values } }),
  };
}

/** Runs one request and prints, as JSON, the reply and the message before and after every step. */
export async function rehearseOne(files: readonly string[], args: RehearseArguments): Promise<void> {
  const { operation: id = '', request = '' } = args;
  const w = await world(files, args);
  const having = w.documents.flatMap((d, i) => (Object.hasOwn(d.operations, id) ? [i] : []));
  if (having.length > 1)
    throw new Failure(`--operation ${id}: ${having.map((i) => files[i]).join(' and ')} both have it`);
  const n = having[0] ?? 0;
  const document = w.documents[n]!;
  const door = args.door === undefined ? document.doors[0] : document.doors.find((d) => d.name === args.door);
  if (args.door !== undefined && !door)
    throw new Failure(
      `--door ${args.door}: there is no such door; there are ${document.doors.map((d) => d.name).join(', ') || 'none'}`,
    );
  const api = w.apis.get(w.slugs[n]!)!;
  const operation = (door && api.operations.get(door.name)?.find((o) => o.id === id)) ?? api.inside.get(id);
  if (!operation)
    throw new Failure(
      `${files.join(', ')}: there is no operation ${id}; there are ${w.documents.flatMap((d) => Object.keys(d.operations)).join(', ')}`,
    );
  const sample = await readSample(request);
  const traceId = randomBytes(16).toString('hex');
  const result = await rehearse(operation, incomingOf(operation, door?.path ?? '/', sample), {
    ...w.context,
    api: w.slugs[n],
    identity: identityOf(document, args.as),
    traceId,
    outbound: { traceparent: `00-${traceId}-${randomBytes(8).toString('hex')}-00` },
  });
  await w.backends.close();
  process.stdout.write(`${writeJson(printed(result), 2)}\n`);
}

/** The shape that INTERFACES settles: messages as headers, mediaType and body. */
function printed(r: Rehearsal): unknown {
  const message = (m: ShownMessage | undefined) =>
    m === undefined ? null : { headers: m.headers, mediaType: m.mediaType ?? null, body: m.body ?? null };
  return {
    reply: { status: r.reply.status, headers: r.reply.headers, body: r.reply.body ?? null },
    steps: r.steps.map((s) => ({
      at: s.at,
      kind: s.kind,
      name: s.name ?? null,
      ms: Math.round(s.ms * 1000) / 1000,
      taken: s.taken,
      before: message(s.before),
      after: message(s.after),
      error: s.error ?? null,
    })),
  };
}
