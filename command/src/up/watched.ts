import { spawn, type ChildProcess } from 'node:child_process';
import { openSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { RunningPostgres } from './postgres';

interface Child {
  readonly name: string;
  readonly log: string;
  readonly run: () => ChildProcess;
  process: ChildProcess;
  /** When it ended lately, in milliseconds since 1970. */
  ends: number[];
}

/** What the studio's desk tells of one that ended. `at` as RFC 3339. */
export interface Ended {
  readonly at: string;
  readonly words: string;
}

const MOST_TOLD = 20;
/** One that ends so often within this time has a fault that starting it again does not mend. */
const MOST_ENDS = 5;
const WITHIN_MS = 60_000;
const DATABASE_EVERY_MS = 1_000;

/**
 * The processes that `up` has started. Before everything is ready the end of one of them ends all; afterwards each is started again and leaves the
 * others alone, so that a studio that dies does not take the gateway with it. What ended is said in the terminal and on the desk.
 */
export class Watched {
  private readonly children: Child[] = [];
  private readonly ended: Ended[] = [];
  private stopping = false;
  private isReady = false;
  private timer: NodeJS.Timeout | undefined;

  constructor(
    private readonly logs: string,
    private readonly root: string,
    private readonly say: (text: string) => void,
    private readonly fail: (why: string) => void,
  ) {
    this.write();
  }

  /** The file that tells the studio what has ended, for its desk. */
  get file(): string {
    return join(this.logs, 'ended.json');
  }

  start(name: string, args: readonly string[], env: Record<string, string> = {}, cwd = this.root): void {
    const log = join(this.logs, `${name}.log`);
    const run = (): ChildProcess => {
      const out = openSync(log, 'a');
      return spawn(process.execPath, args, {
        cwd,
        stdio: ['ignore', out, out],
        env: { ...process.env, NODE_OPTIONS: '', ...env },
      });
    };
    const child: Child = { name, log, run, process: run(), ends: [] };
    this.children.push(child);
    this.watch(child);
  }

  /** From now on what ends is started again, the database too. */
  ready(postgres: RunningPostgres): void {
    this.isReady = true;
    this.timer = setInterval(() => {
      if (this.stopping || postgres.alive()) return;
      this.say('PostgreSQL has ended; starting it again …');
      const runs = postgres.again();
      this.note('The database ended and was started again');
      this.say(runs ? 'PostgreSQL runs again' : 'PostgreSQL does not start; it is tried again');
    }, DATABASE_EVERY_MS);
  }

  async stop(): Promise<void> {
    this.stopping = true;
    clearInterval(this.timer);
    await Promise.all(this.children.map(({ process: child }) => stopChild(child)));
  }

  private note(words: string): void {
    this.ended.push({ at: new Date().toISOString(), words });
    this.ended.splice(0, this.ended.length - MOST_TOLD);
    this.write();
  }

  private write(): void {
    writeFileSync(this.file, JSON.stringify(this.ended));
  }

  private watch(child: Child): void {
    child.process.once('exit', (code) => {
      if (this.stopping) return;
      const how = code === null ? 'by a signal' : String(code);
      const words = `the ${child.name} ended (${how}); its log is ${child.log}`;
      if (!this.isReady) {
        this.fail(words);
        return;
      }
      const now = Date.now();
      child.ends = [...child.ends.filter((t) => now - t < WITHIN_MS), now];
      if (child.ends.length >= MOST_ENDS) {
        this.say(`${words}. It has ended ${MOST_ENDS} times within a minute and is left alone; the others go on`);
        this.note(`The ${child.name} ended ${MOST_ENDS} times within a minute (${how}) and was left alone`);
        return;
      }
      this.say(`${words}. It is started again`);
      this.note(`The ${child.name} ended (${how}) and was started again; its log is ${child.name}.log`);
      setTimeout(() => {
        if (this.stopping) return;
        child.process = child.run();
        this.watch(child);
      }, 500 * child.ends.length);
    });
  }
}

function stopChild(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return Promise.resolve();
  return new Promise((resolve) => {
    const force = setTimeout(() => child.kill('SIGKILL'), 20_000);
    child.once('exit', () => {
      clearTimeout(force);
      resolve();
    });
    child.kill('SIGTERM');
  });
}
