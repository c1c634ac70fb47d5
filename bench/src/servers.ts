import autocannon from 'autocannon';
import { execFile, spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';

/** What benches over HTTP share: servers in processes of their own, load, and slices of load in turn. */
export const HERE = dirname(fileURLToPath(import.meta.url));
export const ROOT = join(HERE, '../..');
export const HINGE = join(ROOT, 'hinge');
export const SECONDS = Number(process.argv[2] ?? 4);
/** Only jobs with this in their names. */
export const WANTED = process.argv[3] ?? '';
const CONNECTIONS = 50;
/** Until all of a server that takes part is compiled: what only one request in twenty takes is so much later. */
const WARM_UP_SECONDS = 10;
/**
 * Once more, when all have been idle: a connection to the backend that closes, for the first time, is news to code that was compiled
 * without it, and what has been compiled is compiled again. A server of either side did the first three of its slices at half its speed so.
 */
const AGAIN_SECONDS = 6;
/** Where several processes of a server take turns, each has been idle for a while: the first second of load is not counted. */
const LEAD_SECONDS = 1;
/** Undici closes a connection that nobody uses after four seconds. */
export const IDLE_MS = 6_000;
const SLICE_SECONDS = 1;
/** Processes of each side: one of a program differs from the next of the same program by up to a fifth, from its start to its end. */
export const COPIES = 3;
const roundsOf = (slice: number): number => Math.max(3, Math.round((SECONDS * 3) / slice));
const children: ChildProcess[] = [];
/** Runs what follows on the last processor only. */
let apart: string[] = [];
/** Runs what follows on the first processor only, where `loadApart` was called. */
export let first: readonly string[] = [];

/**
 * Load, and what is started with `startApart`, get the last processor for themselves and each other; the servers that are measured run
 * anywhere, or on the `first`. Where the system moves four busy processes about on two processors, two slices of one server differ by half.
 */
export function loadApart(): void {
  if (cpus().length > 1 && spawnSync('taskset', ['-V']).error === undefined) {
    apart = ['taskset', '-c', String(cpus().length - 1)];
    first = ['taskset', '-c', '0'];
  }
}

export interface Server {
  readonly name: string;
  readonly port: number;
  readonly pid: number;
  readonly words: string[];
}

/** `before`: what the command is given to, as `taskset`. */
export function start(
  name: string,
  args: readonly string[],
  line: RegExp,
  before: readonly string[] = [],
): Promise<Server> {
  // The gateway is started as anybody starts it.
  const [file, flags] =
    args[0] === HINGE
      ? ['bash', []]
      : args[0]!.endsWith('.mjs')
        ? [
            process.execPath,
            ['--no-warnings', '--max-semi-space-size=32', '--use-largepages=silent', '--no-flush-bytecode'],
          ]
        : [process.execPath, ['--no-warnings', '--import', 'tsx']];
  return started(name, [...before, file, ...flags, ...args], line);
}

/** A process that serves those that are measured. */
export const startApart = (name: string, args: readonly string[], line: RegExp): Promise<Server> =>
  started(name, [...apart, process.execPath, '--no-warnings', '--import', 'tsx', ...args], line);

function started(name: string, [file, ...args]: string[], line: RegExp): Promise<Server> {
  const child = spawn(file!, args, { cwd: ROOT, stdio: ['ignore', 'pipe', 'inherit'] });
  children.push(child);
  return new Promise((resolve, reject) => {
    let out = '';
    child.stdout.on('data', (d: Buffer) => {
      out += d.toString();
      const m = line.exec(out);
      if (m) resolve({ name, port: Number(m[1]), pid: child.pid!, words: (m[2] ?? '').trim().split(' ') });
    });
    child.once('exit', (code) => reject(new Error(`${name} ended with ${code}`)));
  });
}

/** Several processes of one program, one after the other. */
export async function startCopies(name: string, args: readonly string[], line: RegExp): Promise<Server[]> {
  const copies: Server[] = [];
  while (copies.length < COPIES) copies.push(await start(name, args, line));
  return copies;
}

export const run = (child: string[]) =>
  new Promise<void>((resolve) =>
    spawn('bash', child, {
      cwd: ROOT,
      stdio: ['ignore', 'ignore', 'inherit'],
    }).once('exit', () => resolve()),
  );
export const memory = (pid: number): number =>
  Math.round(Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024);
export const middle = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1]!;

/** Debian's `wrk` takes a tenth of the processor that a load tool in JavaScript takes from the servers; that one is taken where it is not installed. */
const WRK = spawnSync('wrk', ['-v']).error === undefined;

/** Requests answered in a second, by 50 connections. Throws when an answer was not 2xx. */
export async function load(
  url: string,
  headers: Record<string, string>,
  seconds: number,
  body?: string,
): Promise<number> {
  if (WRK) return loadByWrk(url, headers, seconds, body);
  const post = body === undefined ? {} : { method: 'POST' as const, body };
  const r = await autocannon({ url, headers, connections: CONNECTIONS, duration: seconds, ...post });
  if (r.non2xx || r.errors) throw new Error(`${url}: ${r.non2xx} answers were not 2xx, ${r.errors} errors`);
  return r.requests.average;
}

async function loadByWrk(
  url: string,
  headers: Record<string, string>,
  seconds: number,
  body: string | undefined,
): Promise<number> {
  const fields = Object.entries({ connection: 'keep-alive', ...headers }).flatMap(([name, value]) => [
    '-H',
    `${name}: ${value}`,
  ]);
  const script = body === undefined ? [] : ['-s', posting(body)];
  const args = ['-t1', `-c${CONNECTIONS}`, `-d${seconds}s`, '--timeout', '30s', ...fields, ...script, url];
  const [file, ...all] = [...apart, 'wrk', ...args];
  const { stdout } = await promisify(execFile)(file!, all);
  const wrong = /Non-2xx.*|Socket errors.*/.exec(stdout)?.[0];
  if (wrong) throw new Error(`${url}: ${wrong}`);
  return Number(/Requests\/sec:\s+([\d.]+)/.exec(stdout)![1]);
}

/** A script for `wrk` that posts a text; JSON's quoting is Lua's for what stands in one line. */
function posting(body: string): string {
  const file = join(mkdtempSync(join(tmpdir(), 'hinge-bench-')), 'post.lua');
  writeFileSync(file, `wrk.method = "POST"\nwrk.body = ${JSON.stringify(body)}\n`);
  return file;
}

export interface Contender {
  /** Processes of it; each round is done by the next of them. */
  readonly servers: readonly Server[];
  /** Path and query. */
  readonly path: string;
}

export const at = (server: Server | readonly Server[], path: string): Contender => ({
  servers: 'port' in server ? [server] : server,
  path,
});
export const urlOf = (server: Server, { path }: Contender): string => `http://127.0.0.1:${server.port}${path}`;

/** User and system time of a process so far, in microseconds (proc(5): fields 14 and 15, in hundredths of a second). */
function cpuTime(pid: number): number {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8')
    .replace(/^.*\) /, '')
    .split(' ');
  return (Number(fields[11]) + Number(fields[12])) * 10_000;
}

/** Time that a host took away from all processors of this virtual machine so far, in hundredths of a second (proc(5)). */
const stolen = (): number => Number(/^cpu +(?:\d+ +){7}(\d+)/.exec(readFileSync('/proc/stat', 'utf8'))?.[1] ?? 0);
/** A slice in which more than this part of the processors was taken away is run again, as often as there are rounds. */
const STOLEN = 0.02;

/**
 * Short slices of load, in turn (A, B, C, B, C, A, …), so that a slow moment of a shared machine hits all alike; where
 * there are several processes of each, they take turns too. The rate is the middle
 * slice; two ratios: that of all requests in all slices, and the middle of those of the single rounds, which a machine that is for minutes a tenth as fast
 * does not draw to one side; processor time is that of the server's own process.
 */
export async function compare(
  job: string,
  contenders: readonly Contender[],
  headers: Record<string, string> = {},
  slice = SLICE_SECONDS,
  body?: string,
): Promise<void> {
  if (!job.includes(WANTED)) return;
  const results = contenders.map(() => ({ rates: [] as number[], cpu: 0, requests: 0 }));
  for (const seconds of [WARM_UP_SECONDS, AGAIN_SECONDS]) {
    for (const c of contenders) for (const server of c.servers) await load(urlOf(server, c), headers, seconds, body);
    await new Promise((resolve) => setTimeout(resolve, IDLE_MS));
  }
  const rounds = roundsOf(slice);
  let again = 0;
  for (let round = 0; round < rounds; round++)
    for (let turn = 0; turn < contenders.length; turn++) {
      const i = (turn + round) % contenders.length;
      const c = contenders[i]!;
      const server = c.servers[round % c.servers.length]!;
      if (c.servers.length > 1) await load(urlOf(server, c), headers, LEAD_SECONDS, body);
      let taken: number;
      let before: number;
      let rate: number;
      do {
        taken = stolen();
        before = cpuTime(server.pid);
        rate = await load(urlOf(server, c), headers, slice, body);
      } while (stolen() - taken > STOLEN * 100 * slice * cpus().length && again++ < rounds * contenders.length);
      results[i]!.cpu += cpuTime(server.pid) - before;
      results[i]!.requests += rate * slice;
      results[i]!.rates.push(rate);
    }
  const ours = results[0]!;
  console.log(`\n${job}${again ? ` (${again} slices run again, their processors were taken away)` : ''}`);
  contenders.forEach((c, i) => {
    const { rates, cpu, requests } = results[i]!;
    const ratio = ours.requests / requests;
    const byRound = middle(rates.map((r, round) => ours.rates[round]! / r));
    const told =
      i === 0
        ? ''
        : requests === 0
          ? '   no answer was whole in time'
          : `   the gateway does ${ratio.toFixed(2)} x, by rounds ${byRound.toFixed(2)} x`;
    console.log(
      `  ${c.servers[0]!.name.padEnd(34)} ${middle(rates).toFixed(0).padStart(7)} requests/s ${(cpu / requests).toFixed(0).padStart(6)} µs each ${String(memory(c.servers[0]!.pid)).padStart(5)} MiB${told}`,
    );
  });
}

/** Tells the machine, and keeps its processors awake (`awake.sh` says why): for all contenders alike. */
export function machine(inTurn = true): void {
  spawnSync('bash', [join(ROOT, 'bench/awake.sh'), String(process.pid)], { stdio: 'ignore' });
  console.log(
    `${cpus()[0]?.model ?? 'cpu'}, ${cpus().length} cores, Node ${process.version}, ${CONNECTIONS} connections, load by ${WRK ? 'wrk' : 'autocannon'}${inTurn ? `, ${roundsOf(SLICE_SECONDS)} slices of ${SLICE_SECONDS} s in turn` : ''}`,
  );
}

/** A process that is no server of ours, ended with the others. */
export function startBeside(file: string, args: readonly string[]): void {
  children.push(spawn(file, args, { stdio: 'ignore' }));
}

/** Ends these, and waits until they are gone. */
export async function stop(servers: readonly Server[]): Promise<void> {
  const those = children.filter((c) => servers.some((s) => s.pid === c.pid) && c.exitCode === null);
  await Promise.all(
    those.map((c) => {
      c.removeAllListeners('exit');
      const gone = new Promise((resolve) => c.once('exit', resolve));
      c.kill('SIGTERM');
      return gone;
    }),
  );
}

export function stopAll(): void {
  for (const c of children) {
    c.removeAllListeners('exit');
    c.kill('SIGTERM');
  }
}
