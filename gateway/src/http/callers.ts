import { ServerResponse, type IncomingMessage } from 'node:http';
import type { Socket } from 'node:net';

/** So many times the keep-alive time a caller may leave an answer lying. */
const STALLED = 2;

const USE = Symbol('use');

/** What goes on on a connection. */
interface Use {
  /** Requests that are not answered to their end. */
  busy: number;
  /** Bytes that had come at the last round, and the round in which something last went on. */
  read: number;
  round: number;
  /** Bytes that had been written at the last round, and the round since which the caller takes none of those that wait. */
  written: number;
  taken: number;
  /** Of `closeIdle`. */
  seen?: number;
  idleSince?: number;
}

type Used = Socket & { [USE]?: Use };

/**
 * Connections of callers. One on which nothing has gone on for `keepAliveMs` is closed: looked at in rounds, `rounds` of
 * them in that time, since a timer that begins anew with each request and reply costs more than both of them here.
 */
export class CallerConnections {
  private readonly all = new Set<Used>();
  private round = 0;
  private readonly timer: NodeJS.Timeout;

  constructor(
    keepAliveMs: number,
    private readonly rounds = 13,
  ) {
    this.timer = setInterval(() => this.look(), keepAliveMs / rounds).unref();
  }

  get count(): number {
    return this.all.size;
  }

  opened(socket: Socket): void {
    (socket as Used)[USE] = { busy: 0, read: 0, round: this.round, written: 0, taken: this.round };
    this.all.add(socket);
    socket.once('close', () => this.all.delete(socket));
  }

  /** A request has come. Its response, which must be a `LightResponse`, tells when it is out. */
  asked(socket: Socket): void {
    const use = (socket as Used)[USE];
    if (!use) return;
    use.busy++;
  }

  /** It speaks another protocol from now on. */
  left(socket: Socket): void {
    this.all.delete(socket);
  }

  /** Connections with a request that is not answered to its end. */
  get busy(): number {
    let n = 0;
    for (const socket of this.all) if (socket[USE]!.busy > 0) n++;
    return n;
  }

  /** Closes those on which nothing has gone on for so long, counted from the first call. To be called again and again. */
  closeIdle(graceMs: number): void {
    const now = performance.now();
    for (const socket of this.all) {
      const use = socket[USE]!;
      if (use.busy > 0 || socket.bytesRead !== use.seen) {
        use.seen = socket.bytesRead;
        use.idleSince = now;
      } else if (now - (use.idleSince ??= now) >= graceMs) socket.destroySoon();
    }
  }

  destroyAll(): void {
    for (const socket of this.all) socket.destroy();
  }

  stop(): void {
    clearInterval(this.timer);
  }

  private look(): void {
    this.round++;
    for (const socket of this.all) {
      const use = socket[USE]!;
      const { bytesRead, bytesWritten } = socket;
      // Somebody asks and does not take the answer: what waits for him is held in memory.
      if (socket.writableLength === 0 || bytesWritten !== use.written) {
        use.written = bytesWritten;
        use.taken = this.round;
      } else if (this.round - use.taken >= this.rounds * STALLED) {
        socket.destroy();
        continue;
      }
      if (use.busy > 0 || bytesRead !== use.read) {
        use.read = bytesRead;
        use.round = this.round;
      } else if (this.round - use.round >= this.rounds) socket.destroy();
    }
  }
}

/** A response that tells its connection when it is out. */
export class LightResponse<R extends IncomingMessage> extends ServerResponse<R> {
  /** Called by Node then. */
  override detachSocket(socket: Socket): void {
    super.detachSocket(socket);
    const use = (socket as Used)[USE];
    if (use) use.busy--;
  }
}
