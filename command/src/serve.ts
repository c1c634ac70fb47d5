import { checkDocument, clashesOf, compileApi, findingText, type FlowDocument } from '@hinge/core';
import { PortError, readTls, startGateway, type FailedRequest, type GatewayConfig } from '@hinge/gateway';
import { watchFile, unwatchFile } from 'node:fs';
import { hostname } from 'node:os';
import { resolve } from 'node:path';
import { applySetting, demand, readSecrets, readValues, slugsOf } from './documents';
import { Failure, lineOf } from './fail';
import { placed } from './files';

export interface ServeArguments {
  readonly port: number;
  readonly controlPort?: number;
  readonly set: readonly string[];
  /** Name of the environment: chooses among the addresses of backends. */
  readonly env?: string;
  /** A file of variables, read as env.NAME. */
  readonly values?: string;
  readonly store?: string;
  readonly storeAway: 'own' | 'refuse';
  /** A file of secrets by name, YAML or JSON. */
  readonly secrets?: string;
  /** A folder that keeps subscriptions and the gateway's name over a restart. */
  readonly state?: string;
  readonly trustProxy: readonly string[];
  readonly tlsCert?: string;
  readonly tlsKey?: string;
  readonly tlsCa?: string;
  readonly tlsCrl?: string;
}

/** How often the files are looked at. */
const LOOK_EVERY_MS = 400;

const tell = (line: string): void => void process.stderr.write(`${line.replace(/\s*\n\s*/g, ' ')}\n`);

/** The files of a gateway, as they were when each of them could last be used. */
class ServedFiles {
  private readonly documents = new Map<string, FlowDocument>();
  private readonly watched = new Set<string>();
  private revision = 0;
  readonly slugs: readonly string[];

  constructor(
    private readonly files: readonly string[],
    private readonly args: ServeArguments,
    private readonly changed: () => void,
  ) {
    this.slugs = slugsOf(files);
  }

  /** Reads all; the first file that cannot be used is a failure. */
  async begin(): Promise<GatewayConfig> {
    for (const file of this.files) this.documents.set(file, await this.read(file));
    for (const setting of this.args.set) applySetting([...this.documents.values()], setting);
    const config = await this.config();
    this.tellFindings();
    return config;
  }

  /** Reads all again; a file that cannot be used keeps its last good state, and is told. */
  async again(): Promise<GatewayConfig> {
    for (const file of this.files) {
      try {
        const document = await this.read(file);
        const own = this.args.set.filter((s) => document.backends?.[/^backend\.([^.=]+)\./.exec(s)?.[1] ?? '']);
        for (const setting of own) applySetting([document], setting);
        compileApi(document);
        this.documents.set(file, document);
      } catch (error) {
        tell(`hinge: ${file} cannot be used, the last good one goes on: ${wordsOf(error)}`);
      }
    }
    return this.config();
  }

  get list(): readonly FlowDocument[] {
    return this.files.map((f) => this.documents.get(f)!);
  }

  close(): void {
    for (const path of this.watched) unwatchFile(path);
  }

  private async read(file: string): Promise<FlowDocument> {
    return demand(file, (path) => this.watch(path));
  }

  private async config(): Promise<GatewayConfig> {
    const { env, values, secrets } = this.args;
    for (const path of [values, secrets]) if (path !== undefined) this.watch(path);
    return {
      revision: `files ${++this.revision}`,
      ...(env !== undefined && { environment: env }),
      ...(values !== undefined && { variables: await readValues(values) }),
      ...(secrets !== undefined && { secrets: await readSecrets(secrets) }),
      apis: this.files.map((file, i) => ({ slug: this.slugs[i]!, document: this.documents.get(file)! })),
    };
  }

  private watch(path: string): void {
    const file = resolve(path);
    if (this.watched.has(file)) return;
    this.watched.add(file);
    watchFile(file, { interval: LOOK_EVERY_MS }, (now, before) => {
      if (now.mtimeMs !== before.mtimeMs || now.size !== before.size || now.ino !== before.ino) this.changed();
    });
  }

  private tellFindings(): void {
    const { list } = this;
    const named = new Map(list.map((d, i) => [this.slugs[i]!, d]));
    const clashes = clashesOf(list);
    for (const [i, document] of list.entries())
      for (const f of [
        ...checkDocument(document, { neighbours: (name) => named.get(name) }),
        ...(clashes.get(i) ?? []),
      ])
        tell(findingText(placed(f, document, this.files[i]!)));
  }
}

const wordsOf = (error: unknown): string => (error instanceof Failure ? error.message : lineOf(error));

/** One line: operation, place, reason, trace id. */
function failedLine({ api, operation, status, refusal, traceId }: FailedRequest): string {
  const { step, guard, code, options } = refusal;
  const name = step?.name === undefined ? '' : ` "${step.name}"`;
  const place = step ? `${step.kind}${name} at ${step.at}` : guard ? `guard ${guard.kind} of ${guard.from}` : 'no step';
  const reason = options.inner ?? options.detail ?? refusal.message;
  return `failed: ${api === undefined ? '' : `${api} `}${operation}, ${place}: ${status} ${code} ${reason} (trace ${traceId})`;
}

/** Runs a gateway on files alone, until SIGTERM or SIGINT. */
export async function serve(files: readonly string[], args: ServeArguments): Promise<void> {
  let due: NodeJS.Timeout | undefined;
  let reload = (): Promise<void> => Promise.resolve();
  let reloading = Promise.resolve();
  const later = (): void => {
    clearTimeout(due);
    // An editor writes a file in several steps.
    due = setTimeout(() => void (reloading = reloading.then(() => reload())), LOOK_EVERY_MS / 2);
  };
  const served = new ServedFiles(files, args, later);
  try {
    const config = await served.begin();
    const gateway = await start(config, served, args);
    reload = async () => {
      try {
        const next = await served.again();
        gateway.apply(next);
        tell(`hinge: the files were read again: ${next.revision}`);
      } catch (error) {
        tell(`hinge: what the files say now cannot be run, the last good state goes on: ${wordsOf(error)}`);
      }
    };
    process.on('SIGHUP', later);
    await new Promise<void>((end) => {
      process.once('SIGTERM', end);
      process.once('SIGINT', end);
    });
    clearTimeout(due);
    await gateway.stop();
  } finally {
    served.close();
  }
}

async function start(config: GatewayConfig, served: ServedFiles, args: ServeArguments) {
  if (args.store !== undefined && !/^rediss?:\/\/./.test(args.store))
    throw new Failure(`--store ${args.store}: an address like redis://127.0.0.1:6379 is needed`);
  const tlsFiles = { cert: args.tlsCert, key: args.tlsKey, ca: args.tlsCa, crl: args.tlsCrl };
  const tls = await readTls(tlsFiles).catch((error: Error) => {
    throw new Failure(error.message);
  });
  const gateway = await startGateway({
    port: args.port,
    controlPort: args.controlPort ?? 0,
    config,
    ...(args.store !== undefined && { store: { url: args.store, whenAway: args.storeAway } }),
    ...(args.state !== undefined && { stateDir: args.state }),
    tls,
    tlsFiles,
    trustProxy: args.trustProxy,
    // The same files at the same port are the same gateway: brokers keep for it what it has not confirmed.
    identity:
      args.port && args.state === undefined ? `${hostname()}:${args.port} ${served.slugs.join(' ')}` : undefined,
    failed: (failure) => tell(failedLine(failure)),
    log: tell,
  }).catch((error: Error) => {
    if (!(error instanceof PortError)) throw new Failure(error.message);
    const option = error.which === 'control' ? '--control-port' : '--port';
    const why = error.code === 'EADDRINUSE' ? 'is in use' : `cannot be had (${error.code ?? error.message})`;
    throw new Failure(`port ${error.port} ${why}; choose another with ${option}`);
  });
  const address = `${tls ? 'https' : 'http'}://127.0.0.1:${gateway.port}`;
  process.stdout.write(`listening on ${address}\n`);
  for (const document of served.list)
    for (const door of document.doors)
      process.stdout.write(
        `${kindOf(document, door)} ${document.api.name}, door ${door.name}: ${address}${door.path}\n`,
      );
  process.stdout.write(`control on http://127.0.0.1:${gateway.controlPort}\n`);
  return gateway;
}

function kindOf(document: FlowDocument, door: FlowDocument['doors'][number]): string {
  if (door.answers === 'graphql' || door.answers === 'events') return door.answers;
  const operations = Object.values(document.operations);
  if (operations.some((o) => o.soap)) return 'soap';
  return operations.some((o) => o.method === 'ANY') ? 'proxy' : 'rest';
}
