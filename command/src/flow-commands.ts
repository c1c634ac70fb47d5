import {
  checkDocument,
  clashesOf,
  compileApi,
  HeldTopics,
  MemoryStore,
  runCases,
  unreachedFindings,
  type CaseResult,
  draftProxy,
  draftSoap,
  draftFor,
  draftEvents,
  draftGraph,
  exportAsyncApi,
  exportGraphql,
  exportOpenApi,
  exportWsdl,
  findingText,
  incomingOf,
  isHttpUrl,
  parseTree,
  planFor,
  readAsyncApi,
  readContract,
  rehearse,
  writeDocument,
  writeJson,
  type Finding,
  type FlowDocument,
  type SampleRequest,
  readJson,
  type ShownMessage,
  type Rehearsal,
} from '@hinge/core';
import { HttpBackends, readTls, startGateway } from '@hinge/gateway';
import { randomBytes } from 'node:crypto';
import { writeFile } from 'node:fs/promises';
import { hostname } from 'node:os';
import { Failure, lineOf } from './fail';
import { readContractFiles, readFlowFile, readText } from './files';

export interface DraftArguments {
  readonly as: string;
  readonly address?: string;
  readonly base?: string;
  readonly name?: string;
  readonly port?: string;
  readonly out: string;
}

export async function draft(contracts: readonly string[], args: DraftArguments): Promise<void> {
  if (args.base !== undefined && !args.base.startsWith('/'))
    throw new Failure(`--base ${args.base}: a base path starts with /`);
  if (args.address !== undefined && !isHttpUrl(args.address))
    throw new Failure(`--address ${args.address}: give an http or https address`);
  let document: FlowDocument;
  if (args.as === 'proxy') {
    const source = contracts.length ? await readContractFiles(contracts) : undefined;
    const contract = source && readContract(source, { port: args.port });
    const address = args.address ?? source?.introspected ?? contract?.addresses[0];
    if (source && contract?.format === 'graphql') document = draftGraph([{ source, contract }], { ...args, address });
    else {
      if (!address) throw new Failure('draft --as proxy needs --address URL of the backend');
      document = draftProxy(address, { base: args.base, name: args.name });
    }
  } else if (args.as === 'rest') {
    if (!contracts.length && args.address) document = draftProxy(args.address, { base: args.base, name: args.name });
    else {
      if (!contracts.length)
        throw new Failure(
          'draft --as rest needs a contract, WSDL, OpenAPI or GraphQL, as a file or an http address; or --address',
        );
      const source = await readContractFiles(contracts);
      const contract = readContract(source, { port: args.port });
      document = draftFor(contract, source, planFor(contract), {
        ...args,
        address: args.address ?? source.introspected,
      });
    }
  } else if (args.as === 'soap') {
    if (!contracts.length) throw new Failure('draft --as soap needs a contract: a WSDL as a file or an http address');
    const source = await readContractFiles(contracts);
    const contract = readContract(source, { port: args.port });
    if (contract.format !== 'wsdl') throw new Failure('draft --as soap needs a WSDL; this contract is none');
    document = draftSoap(contract, source, args);
  } else if (args.as === 'graphql') {
    if (!contracts.length)
      throw new Failure(
        'draft --as graphql needs one contract or several, WSDL, OpenAPI or GraphQL, as files or http addresses',
      );
    const groups = [];
    for (const files of groupsOf(contracts)) {
      const source = await readContractFiles(files);
      groups.push({ source, contract: readContract(source, { port: args.port }) });
    }
    const introspected = groups.length === 1 ? groups[0]!.source.introspected : undefined;
    document = draftGraph(groups, { ...args, address: args.address ?? introspected });
  } else if (args.as === 'events') {
    if (!contracts.length)
      throw new Failure('draft --as events needs a contract: an AsyncAPI document as a file or an http address');
    const contract = readAsyncApi(await readContractFiles(contracts));
    document = draftEvents(contract, args);
    for (const f of contract.findings) process.stderr.write(`${findingText(f)}\n`);
  } else throw new Failure(`--as ${args.as} is unknown; there are rest, soap, graphql, events and proxy`);
  await writeFile(args.out, args.out.endsWith('.json') ? `${writeJson(document, 2)}\n` : writeDocument(document));
  const [of, what] = args.as === 'events' ? [document.topics ?? {}, 'topic'] : [document.operations, 'operation'];
  const count = Object.keys(of).length;
  process.stdout.write(`${args.out}: ${count} ${what}${count === 1 ? '' : 's'} at ${document.doors[0]!.path}\n`);
  for (const f of checkDocument(document)) process.stderr.write(`${findingText(f)}\n`);
}

/** Contracts that are drafted together: an XSD belongs to the WSDL before it. */
function groupsOf(contracts: readonly string[]): string[][] {
  const groups: string[][] = [];
  for (const file of contracts)
    if (/\.xsd$/i.test(file) && groups.length) groups.at(-1)!.push(file);
    else groups.push([file]);
  return groups;
}

/** Exit code: 0 no error, 1 an error among the findings, 2 a file that cannot be read or is neither YAML nor JSON. */
export async function check(files: readonly string[], json: boolean): Promise<number> {
  const all: Finding[] = [];
  let unreadable = false;
  const read = new Map<string, FlowDocument>();
  for (const file of files) {
    try {
      const { document, findings } = await readFlowFile(file);
      if (document) read.set(file, document);
      all.push(...findings.map((f) => ({ ...f, place: { file, ...f.place } })));
    } catch (error) {
      unreadable = true;
      process.stderr.write(`hinge: ${lineOf(error)}\n`);
    }
  }
  // One file alone says nothing of what its neighbours on the gateway will be.
  const named = new Map([...read].map(([file, d]) => [slugOf(file), d]));
  const neighbours = files.length > 1 ? (name: string) => named.get(name) : undefined;
  for (const [file, document] of read)
    all.push(...checkDocument(document, { neighbours }).map((f) => ({ ...f, place: { file, ...f.place } })));
  if (json) process.stdout.write(`${JSON.stringify(all, null, 2)}\n`);
  else {
    for (const f of all) process.stdout.write(`${findingText(f)}\n`);
    if (!all.length && !unreadable) process.stdout.write('no findings\n');
  }
  if (unreadable) return 2;
  return all.some((f) => f.severity === 'error') ? 1 : 0;
}

/** The document, or a failure that names every fault of its form on one line each. */
async function demand(file: string): Promise<FlowDocument> {
  const { document, findings } = await readFlowFile(file);
  if (!document) throw new Failure(findings.map(findingText).join('\nhinge: '));
  return document;
}

export interface ServeArguments {
  readonly port: number;
  readonly controlPort?: number;
  readonly set: readonly string[];
  readonly store?: string;
  readonly storeAway: 'own' | 'refuse';
  /** A file of secrets by name, YAML or JSON. */
  readonly secrets?: string;
  readonly tlsCert?: string;
  readonly tlsKey?: string;
  readonly tlsCa?: string;
  readonly tlsCrl?: string;
}

export async function serve(files: readonly string[], args: ServeArguments): Promise<void> {
  const documents = [];
  for (const file of files) documents.push(await demand(file));
  for (const setting of args.set) applySetting(documents, setting);
  const config = {
    revision: 'files',
    apis: documents.map((document, i) => ({
      slug: slugOf(files[i]!),
      document,
    })),
    ...(args.secrets !== undefined && { secrets: await readSecrets(args.secrets) }),
  };
  const named = new Map(config.apis.map((a) => [a.slug, a.document]));
  const neighbours = (name: string) => named.get(name);
  const clashes = clashesOf(documents);
  for (const [i, document] of documents.entries())
    for (const f of [...checkDocument(document, { neighbours }), ...(clashes.get(i) ?? [])])
      process.stderr.write(`${files[i]}: ${findingText(f)}\n`);
  if (args.store !== undefined && !/^rediss?:\/\/./.test(args.store))
    throw new Failure(`--store ${args.store}: an address like redis://127.0.0.1:6379 is needed`);
  const store = args.store === undefined ? undefined : { url: args.store, whenAway: args.storeAway };
  const tlsFiles = { cert: args.tlsCert, key: args.tlsKey, ca: args.tlsCa, crl: args.tlsCrl };
  const tls = await readTls(tlsFiles).catch((error: Error) => {
    throw new Failure(error.message);
  });
  // The same files at the same port are the same gateway: brokers keep for it what it has not confirmed.
  const identity = args.port ? `${hostname()}:${args.port} ${config.apis.map((a) => a.slug).join(' ')}` : undefined;
  const log = (message: string): void => void process.stderr.write(`${message}\n`);
  const options = { port: args.port, controlPort: args.controlPort ?? 0, config, store, tls, tlsFiles, identity, log };
  const gateway = await startGateway(options).catch((error: Error & { code?: string }) => {
    throw new Failure(
      error.code === 'EADDRINUSE' ? `port ${args.port} is in use; choose another with --port` : error.message,
    );
  });
  const address = `${tls ? 'https' : 'http'}://127.0.0.1:${gateway.port}`;
  process.stdout.write(`listening on ${address}\n`);
  for (const document of documents)
    for (const door of document.doors)
      process.stdout.write(
        `${kindOf(document, door)} ${document.api.name}, door ${door.name}: ${address}${door.path}\n`,
      );
  process.stdout.write(`control on http://127.0.0.1:${gateway.controlPort}\n`);
  await new Promise<void>((resolve) => {
    process.once('SIGTERM', resolve);
    process.once('SIGINT', resolve);
  });
  await gateway.stop();
}

/** Names and texts, and nothing else: a number would have lost its zeros. What is wrong is told without any value. */
async function readSecrets(file: string): Promise<Record<string, string>> {
  const text = await readText(file);
  let value: unknown;
  try {
    value = parseTree(text, file).value;
  } catch {
    // The text around a mistake may be a secret.
    throw new Failure(`--secrets ${file}: it cannot be read as YAML or JSON`);
  }
  if (value === null || typeof value !== 'object' || Array.isArray(value))
    throw new Failure(`--secrets ${file}: write one NAME: "value" a line`);
  for (const [name, v] of Object.entries(value))
    if (typeof v !== 'string') throw new Failure(`--secrets ${file}: ${name} is no text; put it in quotes`);
  return value as Record<string, string>;
}

/** The name of an API on a gateway of files: its file without folder and ending. */
const slugOf = (file: string): string => file.replace(/^.*\//, '').replace(/\.(hinge\.)?(ya?ml|json)$/, '');

function kindOf(document: FlowDocument, door: FlowDocument['doors'][number]): string {
  if (door.answers === 'graphql' || door.answers === 'events') return door.answers;
  const operations = Object.values(document.operations);
  if (operations.some((o) => o.soap)) return 'soap';
  return operations.some((o) => o.method === 'ANY') ? 'proxy' : 'rest';
}

/** --set backend.NAME.address=URL */
function applySetting(documents: readonly FlowDocument[], setting: string): void {
  const m = /^backend\.([^.=]+)\.address=(.*)$/.exec(setting);
  if (!m) throw new Failure(`--set ${setting}: write backend.NAME.address=URL`);
  if (!isHttpUrl(m[2]!)) throw new Failure(`--set ${setting}: ${m[2]} is no http or https address`);
  const having = documents.filter((d) => d.backends?.[m[1]!]);
  if (!having.length)
    throw new Failure(
      `--set ${setting}: there is no backend ${m[1]}; there are ${[...new Set(documents.flatMap((d) => Object.keys(d.backends ?? {})))].join(', ') || 'none'}`,
    );
  for (const d of having) d.backends![m[1]!] = { ...d.backends![m[1]!], address: m[2]!, addresses: undefined };
}

export async function exportContract(file: string, as: string): Promise<void> {
  const document = await demand(file);
  if (as === 'wsdl') {
    process.stdout.write(exportWsdl(document));
    return;
  }
  if (as === 'graphql') {
    process.stdout.write(exportGraphql(document));
    return;
  }
  if (as === 'asyncapi') {
    process.stdout.write(`${writeJson(exportAsyncApi(document), 2)}\n`);
    return;
  }
  if (as !== 'openapi') throw new Failure(`--as ${as} is unknown; there are openapi, wsdl, graphql and asyncapi`);
  process.stdout.write(`${writeJson(exportOpenApi(document), 2)}\n`);
}

/** Runs every case of a document; one line for each, the misfits below it, then the lines that no case reaches. Exit code 1 when one fails. */
export async function rehearseAll(file: string, set: readonly string[], json: boolean): Promise<number> {
  const document = await demand(file);
  for (const s of set) applySetting([document], s);
  const cases = document.cases ?? [];
  if (!cases.length) throw new Failure(`${file} has no cases`);
  const backends = new HttpBackends();
  const now = () => performance.now();
  const tell = (r: CaseResult, n: number) => {
    if (json) return;
    const words = r.failure ?? (r.status ? String(r.status) : '');
    process.stdout.write(
      `${r.passed ? 'passed' : 'FAILED'}  ${n}/${cases.length}  ${r.operation}, ${r.name}: ${words}, ${Math.round(r.ms)} ms\n`,
    );
    for (const m of r.misfits) process.stdout.write(`        ${m.at}: wanted ${m.wanted}, found ${m.found}\n`);
  };
  const results = await runCases(
    compileApi(document),
    cases,
    { ports: { backends, clock: { now }, store: new MemoryStore(now), topics: new HeldTopics() } },
    tell,
  );
  await backends.close();
  const unreached = unreachedFindings(document, results);
  const failed = results.filter((r) => !r.passed).length;
  if (json) process.stdout.write(`${writeJson({ results, unreached }, 2)}\n`);
  else {
    for (const f of unreached)
      process.stdout.write(`${findingText(f)}
`);
    process.stdout.write(`${results.length - failed} passed, ${failed} failed\n`);
  }
  return failed ? 1 : 0;
}

export async function rehearseOne(
  file: string,
  operationId: string,
  requestFile: string,
  set: readonly string[],
): Promise<void> {
  const document = await demand(file);
  for (const s of set) applySetting([document], s);
  let sample: SampleRequest;
  try {
    sample = readJson(await readText(requestFile)) as SampleRequest;
  } catch (error) {
    throw new Failure(`${requestFile}: ${lineOf(error)}`);
  }
  const door = document.doors[0];
  const api = compileApi(document);
  const operation =
    (door && api.operations.get(door.name)?.find((o) => o.id === operationId)) ?? api.inside.get(operationId);
  if (!operation)
    throw new Failure(
      `${file} has no operation ${operationId}; there are ${Object.keys(document.operations).join(', ')}`,
    );
  const backends = new HttpBackends();
  const now = () => performance.now();
  const traceId = randomBytes(16).toString('hex');
  const result = await rehearse(operation, incomingOf(operation, door?.path ?? '/', sample), {
    ports: { backends, clock: { now }, store: new MemoryStore(now), topics: new HeldTopics() },
    env: {},
    traceId,
    outbound: { traceparent: `00-${traceId}-${randomBytes(8).toString('hex')}-00` },
  });
  await backends.close();
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
