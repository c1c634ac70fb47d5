import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { connect, createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { eventually } from './world';

/** Debian's mosquitto on loopback: the real broker of these tests. */
export class Mosquitto {
  private process: ChildProcess | undefined;

  private constructor(
    readonly port: number,
    private readonly file: string,
  ) {}

  static async start(): Promise<Mosquitto> {
    const port = await freePort();
    const dir = mkdtempSync(join(tmpdir(), 'hinge-mosquitto-'));
    const file = join(dir, 'broker.conf');
    writeFileSync(file, `listener ${port} 127.0.0.1\nallow_anonymous true\npersistence false\nuser root\n`);
    const broker = new Mosquitto(port, file);
    await broker.run();
    return broker;
  }

  get address(): string {
    return `mqtt://127.0.0.1:${this.port}`;
  }

  async run(): Promise<void> {
    this.process = spawn('/usr/sbin/mosquitto', ['-c', this.file], { stdio: 'ignore' });
    await eventually('mosquitto to listen', () => reaches(this.port));
  }

  /** Without a word, as a power cut would. */
  async kill(): Promise<void> {
    const { process } = this;
    if (!process || process.exitCode !== null || process.signalCode !== null) return;
    await new Promise<void>((resolve) => {
      process.once('exit', () => resolve());
      process.kill('SIGKILL');
    });
  }
}

const reaches = (port: number): Promise<boolean> =>
  new Promise((resolve) => {
    const socket = connect(port, '127.0.0.1');
    socket.once('connect', () => {
      socket.destroy();
      resolve(true);
    });
    socket.once('error', () => resolve(false));
  });

export async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise<void>((resolve) => server.close(() => resolve()));
  return port;
}
