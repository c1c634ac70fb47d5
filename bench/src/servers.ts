import autocannon from 'autocannon';
import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** What benches over HTTP share: servers in processes of their own, load, and the middle of three measurements in turn. */
export const HERE = dirname(fileURLToPath(import.meta.url));
export const ROOT = join(HERE, '../..');
export const HINGE = join(ROOT, 'hinge');
export const SECONDS = Number(process.argv[2] ?? 4);
const CONNECTIONS = 50;
const children: ChildProcess[] = [];

export interface Server {
  readonly name: string;
  readonly port: number;
  readonly pid: number;
  readonly words: string[];
}

export function start(name: string, args: readonly string[], line: RegExp): Promise<Server> {
  // The gateway is started as anybody starts it.
  const [file, before] =
    args[0] === HINGE
      ? ['bash', []]
      : args[0]!.endsWith('.mjs')
        ? [process.execPath, ['--no-warnings', '--max-semi-space-size=32']]
        : [process.execPath, ['--no-warnings', '--import', 'tsx']];
  const child = spawn(file, [...before, ...args], {
    cwd: ROOT,
    stdio: ['ignore', 'pipe', 'inherit'],
  });
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

export const run = (child: string[]) =>
  new Promise<void>((resolve) =>
    spawn('bash', child, {
      cwd: ROOT,
      stdio: ['ignore', 'ignore', 'inherit'],
    }).once('exit', () => resolve()),
  );
const memory = (pid: number): number =>
  Math.round(Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024);
const middle = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1]!;

async function load(url: string, headers: Record<string, string>, seconds: number): Promise<number> {
  const r = await autocannon({ url, headers, connections: CONNECTIONS, duration: seconds });
  if (r.non2xx || r.errors) throw new Error(`${url}: ${r.non2xx} answers were not 2xx, ${r.errors} errors`);
  return r.requests.average;
}

export interface Contender {
  readonly server: Server;
  readonly url: string;
}

export async function compare(
  job: string,
  contenders: readonly Contender[],
  headers: Record<string, string> = {},
): Promise<void> {
  const results = contenders.map(() => [] as number[]);
  for (const c of contenders) await load(c.url, headers, Math.min(3, SECONDS));
  for (let round = 0; round < 3; round++)
    for (const [i, c] of contenders.entries()) results[i]!.push(await load(c.url, headers, SECONDS));
  const ours = middle(results[0]!);
  console.log(`\n${job}`);
  contenders.forEach((c, i) => {
    const rate = middle(results[i]!);
    const ratio = i === 0 ? '' : `   the gateway does ${(ours / rate).toFixed(2)} x`;
    console.log(
      `  ${c.server.name.padEnd(34)} ${rate.toFixed(0).padStart(7)} requests/s   ${String(memory(c.server.pid)).padStart(4)} MiB${ratio}`,
    );
  });
}

export const machine = () =>
  console.log(
    `${cpus()[0]?.model ?? 'cpu'}, ${cpus().length} cores, Node ${process.version}, ${CONNECTIONS} connections, ${SECONDS} s a measurement, middle of three`,
  );

export function stopAll(): void {
  for (const c of children) {
    c.removeAllListeners('exit');
    c.kill('SIGTERM');
  }
}
