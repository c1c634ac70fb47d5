import { readdirSync, readFileSync } from 'node:fs';
import { COPIES, first, IDLE_MS, load, memory, middle, SECONDS, start, stop, WANTED, type Server } from './servers';

/** A program of which several processes are measured, one after the other. */
export interface Program {
  readonly name: string;
  /** As `start` takes them; it writes "port N" when it listens. */
  readonly args: readonly string[];
  /** Path and query of the request. */
  readonly path: string;
}

const WARM_UP_SECONDS = 20;
/** Once more when connections to the backend have been closed, as in `compare`. */
const AGAIN_SECONDS = 8;
const LONG_IDLE_MS = 30_000;
const AFTER_IDLE_SLICES = 3;
const SLICE_SECONDS = 1;

const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Time that all threads of a process have run so far, in microseconds (`schedstat` of the system, in nanoseconds). */
function ranFor(pid: number): number {
  let sum = 0;
  for (const thread of readdirSync(`/proc/${pid}/task`)) {
    try {
      sum += Number(readFileSync(`/proc/${pid}/task/${thread}/schedstat`, 'utf8').split(' ', 1)[0]);
    } catch {
      // The thread has just ended.
    }
  }
  return sum / 1000;
}

/** What the slices of one kind came to, for one program. */
class Sums {
  cpu = 0;
  requests = 0;
  readonly slices: number[] = [];
  readonly processes: string[] = [];
  private before = { cpu: 0, requests: 0 };

  add(cpu: number, requests: number): void {
    this.cpu += cpu;
    this.requests += requests;
    this.slices.push(cpu / requests);
  }

  /** All slices of one process are in. */
  next(): void {
    const { cpu, requests } = this.before;
    this.processes.push(((this.cpu - cpu) / (this.requests - requests)).toFixed(0));
    this.before = { cpu: this.cpu, requests: this.requests };
  }

  get each(): number {
    return this.cpu / this.requests;
  }
}

/**
 * All programs at once, on the first processor, each with load of its own (from the last one, where `loadApart` was called): a host that is for
 * seconds half as fast, as those of virtual machines are, without a word of it in the time it says it took away, is so for all of them in the same
 * moments. Told is the processor time of a request, all threads of the process together. Three processes of each program, each for a
 * block of rounds without a pause; then the same after half a minute of idleness. The first program is compared with the others, by
 * all requests, by the middle of the rounds, and by how many were answered in the time that all of them shared.
 */
export async function sideBySide(
  job: string,
  programs: readonly Program[],
  headers: Record<string, string>,
): Promise<void> {
  if (!job.includes(WANTED)) return;
  const busy = programs.map(() => new Sums());
  const rested = programs.map(() => new Sums());
  const sizes = programs.map(() => 0);
  const rounds = Math.max(3, SECONDS * 2);
  for (let copy = 0; copy < COPIES; copy++) {
    const servers: Server[] = [];
    for (const { name, args } of programs) servers.push(await start(name, args, /port (\d+)/, first));
    const all = <T>(what: (server: Server, path: string, i: number) => Promise<T>) =>
      Promise.all(programs.map(({ path }, i) => what(servers[i]!, path, i)));
    const slice = (sums?: readonly Sums[]) =>
      all(async (server, path, i) => {
        const before = ranFor(server.pid);
        const rate = await load(`http://127.0.0.1:${server.port}${path}`, headers, SLICE_SECONDS);
        sums?.[i]!.add(ranFor(server.pid) - before, rate * SLICE_SECONDS);
      });
    for (const seconds of [WARM_UP_SECONDS, AGAIN_SECONDS]) {
      await all((server, path) => load(`http://127.0.0.1:${server.port}${path}`, headers, seconds));
      await wait(IDLE_MS);
    }
    await slice();
    for (let round = 0; round < rounds; round++) await slice(busy);
    await wait(LONG_IDLE_MS);
    for (let round = 0; round < AFTER_IDLE_SLICES; round++) await slice(rested);
    for (const sums of [...busy, ...rested]) sums.next();
    servers.forEach((s, i) => (sizes[i] = memory(s.pid)));
    await stop(servers);
  }
  console.log(`\n${job}: side by side, ${rounds * COPIES} slices of ${SLICE_SECONDS} s`);
  tell(programs, busy, sizes);
  console.log(`after ${LONG_IDLE_MS / 1000} idle seconds, ${AFTER_IDLE_SLICES * COPIES} slices`);
  tell(programs, rested, sizes);
}

function tell(programs: readonly Program[], sums: readonly Sums[], sizes: readonly number[]): void {
  const ours = sums[0]!;
  programs.forEach(({ name }, i) => {
    const of = sums[i]!;
    const byRounds = middle(of.slices.map((each, n) => each / ours.slices[n]!));
    const ratios = `the gateway does ${(of.each / ours.each).toFixed(2)} x, by rounds ${byRounds.toFixed(2)} x, by answers ${(ours.requests / of.requests).toFixed(2)} x`;
    console.log(
      `  ${name.padEnd(34)} ${of.each.toFixed(0).padStart(5)} µs each (${of.processes.join(' ')}) ${String(sizes[i]).padStart(5)} MiB   ${i === 0 ? '' : ratios}`.trimEnd(),
    );
  });
}
