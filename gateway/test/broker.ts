import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { connect, createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { eventually } from './world';

/** A real broker of these tests: one of Debian's, on loopback. */
abstract class RealBroker {
  private process: ChildProcess | undefined;

  protected constructor(
    readonly port: number,
    private readonly command: string,
    private readonly args: readonly string[],
  ) {}

  async run(): Promise<void> {
    this.process = spawn(this.command, this.args, { stdio: 'ignore' });
    await eventually(`${this.command} to listen`, () => reaches(this.port));
  }

  /** It takes nothing any more, and its connections stay. */
  pause(): void {
    this.process?.kill('SIGSTOP');
  }

  resume(): void {
    this.process?.kill('SIGCONT');
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

export class Mosquitto extends RealBroker {
  static async start(): Promise<Mosquitto> {
    const port = await freePort();
    const dir = mkdtempSync(join(tmpdir(), 'hinge-mosquitto-'));
    const file = join(dir, 'broker.conf');
    writeFileSync(file, `listener ${port} 127.0.0.1\nallow_anonymous true\npersistence false\nuser root\n`);
    const broker = new Mosquitto(port, '/usr/sbin/mosquitto', ['-c', file]);
    await broker.run();
    return broker;
  }

  get address(): string {
    return `mqtt://127.0.0.1:${this.port}`;
  }
}

/** With JetStream, which keeps in a folder of its own what its streams hold. */
export class Nats extends RealBroker {
  static async start(): Promise<Nats> {
    const port = await freePort();
    const dir = mkdtempSync(join(tmpdir(), 'hinge-nats-'));
    const args = ['-a', '127.0.0.1', '-p', String(port), '-js', '-sd', dir];
    const broker = new Nats(port, '/usr/sbin/nats-server', args);
    await broker.run();
    return broker;
  }

  get address(): string {
    return `nats://127.0.0.1:${this.port}`;
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
