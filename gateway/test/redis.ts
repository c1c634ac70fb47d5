import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Debian's redis-server on loopback, on a port of the test's own, keeping nothing on disk. */
export class RealRedis {
  private child: ChildProcess | undefined;
  private constructor(readonly port: number) {}

  static async start(): Promise<RealRedis> {
    const port = await new Promise<number>((resolve) => {
      const s = createServer();
      s.listen(0, '127.0.0.1', () => {
        const { port: p } = s.address() as { port: number };
        s.close(() => resolve(p));
      });
    });
    const redis = new RealRedis(port);
    await redis.run();
    return redis;
  }

  get url(): string {
    return `redis://127.0.0.1:${this.port}`;
  }

  async run(): Promise<void> {
    const dir = mkdtempSync(join(tmpdir(), 'hinge-redis-'));
    const child = spawn(
      '/usr/bin/redis-server',
      ['--port', String(this.port), '--bind', '127.0.0.1', '--save', '', '--appendonly', 'no', '--dir', dir],
      { stdio: ['ignore', 'pipe', 'inherit'] },
    );
    this.child = child;
    await new Promise<void>((resolve, reject) => {
      child.stdout.on('data', (d: Buffer) => d.toString().includes('Ready to accept connections') && resolve());
      child.once('exit', (code) => reject(new Error(`redis-server ended with ${code}`)));
    });
  }

  /** As a crash does it. */
  async kill(): Promise<void> {
    const { child } = this;
    if (!child || child.exitCode !== null) return;
    const gone = new Promise((resolve) => child.once('exit', resolve));
    child.removeAllListeners('exit');
    child.once('exit', () => undefined);
    child.kill('SIGKILL');
    await Promise.race([gone, new Promise((r) => setTimeout(r, 200))]);
  }
}
