import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { createServer } from 'node:net';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const ROOT = join(dirname(fileURLToPath(import.meta.url)), '../..');

export interface World {
  readonly studio: string;
  readonly gateway: string;
  readonly standIn: string;
  /** Of the command. */
  readonly pid: number;
  readonly output: () => string;
  stop(): Promise<number | null>;
}

function isFree(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const s = createServer();
    s.once('error', () => resolve(false));
    s.listen(port, '127.0.0.1', () => s.close(() => resolve(true)));
  });
}

/** The first of four free ports beside each other, below those that the system gives to whoever asks for any. */
async function freePorts(): Promise<number> {
  for (;;) {
    const port = 20_000 + 4 * Math.floor(Math.random() * 3_000);
    const free = await Promise.all([0, 1, 2, 3].map((n) => isFree(port + n)));
    if (free.every(Boolean)) return port;
  }
}

/** Runs `./hinge up` as a person would, on ports and data of its own. */
export async function startWorld(args: readonly string[]): Promise<World> {
  // The gateway's control port is one above its own.
  const studioPort = await freePorts();
  const gatewayPort = await freePorts();
  // Those of the town, the broker and the receiver are above.
  const standInPort = await freePorts();
  const child: ChildProcess = spawn(
    join(ROOT, 'hinge'),
    ['up', '--studio-port', String(studioPort), '--gateway-port', String(gatewayPort), ...args],
    {
      env: {
        ...process.env,
        NODE_OPTIONS: '',
        HINGE_STATE: mkdtempSync('/var/tmp/hinge-e2e-'),
        HINGE_STAND_IN_PORT: String(standInPort),
      },
      stdio: ['ignore', 'pipe', 'pipe'],
    },
  );
  let out = '';
  child.stdout!.on('data', (d: Buffer) => (out += d.toString()));
  child.stderr!.on('data', (d: Buffer) => (out += d.toString()));
  const ended = new Promise<number | null>((resolve) => child.once('exit', resolve));
  for (let i = 0; i < 3000 && !out.includes('ready;'); i++) {
    if (child.exitCode !== null) throw new Error(`hinge up ended:\n${out}`);
    await new Promise((r) => setTimeout(r, 100));
  }
  if (!out.includes('ready;')) throw new Error(`hinge up is not ready:\n${out}`);
  return {
    studio: `http://127.0.0.1:${studioPort}`,
    gateway: `http://127.0.0.1:${gatewayPort}`,
    standIn: `http://127.0.0.1:${standInPort}`,
    pid: child.pid!,
    output: () => out,
    stop() {
      child.kill('SIGTERM');
      return ended;
    },
  };
}
