import autocannon from 'autocannon';
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/**
 * `npm run bench [seconds]`: requests per second of the gateway against its peers, one process each, one run. Every job is
 * measured three times in turn (A, B, C, A, B, C, …) and the middle value is told, so that a slow moment hits all alike.
 */
const HERE = dirname(fileURLToPath(import.meta.url));
const ROOT = join(HERE, '../..');
const HINGE = join(ROOT, 'hinge');
const SECONDS = Number(process.argv[2] ?? 4);
const CONNECTIONS = 50;
const children: ChildProcess[] = [];

interface Server {
  readonly name: string;
  readonly port: number;
  readonly pid: number;
  readonly words: string[];
}

function start(name: string, args: readonly string[], line: RegExp): Promise<Server> {
  // The gateway is started as anybody starts it.
  const [file, before] = args[0] === HINGE ? ['bash', []] : [process.execPath, ['--no-warnings', '--import', 'tsx']];
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

const run = (child: string[]) =>
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

interface Contender {
  readonly server: Server;
  readonly url: string;
}

async function compare(
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

try {
  console.log(
    `${cpus()[0]?.model ?? 'cpu'}, ${cpus().length} cores, Node ${process.version}, ${CONNECTIONS} connections, ${SECONDS} s a measurement, middle of three`,
  );
  const backend = await start('backend', [join(HERE, 'servers/backend.ts')], /port (\d+)(.*)\n/);
  const origin = `http://127.0.0.1:${backend.port}`;
  const folder = mkdtempSync(join(tmpdir(), 'hinge-bench-'));
  const wsdl = join(ROOT, 'stand-ins/src/berths/contract/berths.wsdl');
  await run([
    HINGE,
    'draft',
    '--as',
    'proxy',
    '--address',
    origin,
    '--base',
    '/p',
    '--out',
    join(folder, 'proxy.yaml'),
  ]);
  await run([
    HINGE,
    'draft',
    wsdl,
    '--as',
    'rest',
    '--address',
    `${origin}/soap`,
    '--base',
    '/b',
    '--out',
    join(folder, 'soap.yaml'),
  ]);
  await run([
    HINGE,
    'draft',
    wsdl,
    '--as',
    'rest',
    '--address',
    `${origin}/soap-large`,
    '--base',
    '/l',
    '--out',
    join(folder, 'large.yaml'),
  ]);
  const gateway = await start(
    'gateway',
    [HINGE, 'serve', join(folder, 'proxy.yaml'), join(folder, 'soap.yaml'), join(folder, 'large.yaml'), '--port', '0'],
    /listening on http:\/\/127\.0\.0\.1:(\d+)/,
  );
  const pipe = await start(
    'node:http + undici Pool.stream',
    [join(HERE, 'servers/bare-pipe.ts'), origin],
    /port (\d+)/,
  );
  const proxy = await start('http-proxy', [join(HERE, 'servers/http-proxy.ts'), origin], /port (\d+)/);
  const at = (s: Server, path: string): Contender => ({ server: s, url: `http://127.0.0.1:${s.port}${path}` });
  await compare('pass-through, 1 KiB', [at(gateway, '/p/small'), at(pipe, '/small'), at(proxy, '/small')]);
  await compare('pass-through, 1 MiB', [at(gateway, '/p/large'), at(pipe, '/large'), at(proxy, '/large')]);
  const soapHeaders = { officeCode: 'TH-22' };
  const small = await start(
    'express + soap',
    [join(HERE, 'servers/express-soap.ts'), wsdl, `${origin}/soap`],
    /port (\d+)/,
  );
  await compare(
    `SOAP to REST, ${backend.words[0]} bytes`,
    [at(gateway, '/b/berths?minDepthMetres=4'), at(small, '/berths?minDepthMetres=4')],
    soapHeaders,
  );
  const large = await start(
    'express + soap',
    [join(HERE, 'servers/express-soap.ts'), wsdl, `${origin}/soap-large`],
    /port (\d+)/,
  );
  await compare(
    `SOAP to REST, ${backend.words[1]} bytes`,
    [at(gateway, '/l/berths?minDepthMetres=4'), at(large, '/berths?minDepthMetres=4')],
    soapHeaders,
  );
} finally {
  for (const c of children) {
    c.removeAllListeners('exit');
    c.kill('SIGTERM');
  }
}
