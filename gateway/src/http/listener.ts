import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createServer as createTlsServer, type Server as TlsServer } from 'node:https';
import { Server as NetServer, type AddressInfo, type Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import { GATEWAY_LIMITS } from '../limits';
import { CallerConnections, LightResponse } from './callers';
import type { TlsOptions } from './certificate';
import { lightRequest } from './light-request';
import { writeWhole } from './one-write';

const TLS_LEAST = 'TLSv1.2' as const;

export interface ListenerOptions {
  readonly tls?: TlsOptions;
  take(req: IncomingMessage, res: ServerResponse): void;
  /** Whether a request begins a WebSocket. Any other request to change the protocol is one like every other (RFC 9110 §7.8). */
  isSocket(req: IncomingMessage): boolean;
  upgrade(req: IncomingMessage, socket: Duplex, head: Buffer): void;
}

/** What had to be cut off when the time was up. */
export interface DrainEnd {
  readonly requests: number;
  readonly sockets: number;
}

/** The callers' port: its connections from the first byte to the last, each with limits in time, whatever it turns into. */
export class Listener {
  private readonly server: Server;
  private readonly callers = new CallerConnections(GATEWAY_LIMITS.keepAliveMs);
  /** Connections that speak another protocol by now. */
  private readonly sockets = new Set<Socket>();
  draining = false;

  constructor(options: ListenerOptions) {
    const { tls } = options;
    const bounds = {
      headersTimeout: GATEWAY_LIMITS.headersMs,
      requestTimeout: GATEWAY_LIMITS.requestMs,
      connectionsCheckingInterval: GATEWAY_LIMITS.connectionCheckMs,
      maxHeaderSize: GATEWAY_LIMITS.headerBytes,
      keepAliveTimeout: 0,
      IncomingMessage: lightRequest(options.isSocket),
      ServerResponse: LightResponse,
    };
    const take = (req: IncomingMessage, res: ServerResponse) => {
      this.callers.asked(req.socket);
      if (this.draining) res.setHeader('connection', 'close');
      // Node's parser has stopped behind a request to change the protocol: nothing more can come on this connection.
      else if (req.headers.upgrade !== undefined && /\bupgrade\b/i.test(req.headers.connection ?? ''))
        res.shouldKeepAlive = false;
      options.take(req, res);
    };
    // Asked for, not demanded: each door says by its guard whether it wants a certificate.
    const asked = tls && {
      ...tls,
      requestCert: tls.ca !== undefined,
      rejectUnauthorized: false,
      minVersion: TLS_LEAST,
    };
    this.server = asked ? createTlsServer({ ...bounds, ...asked }, take) : createServer(bounds, take);
    // Node drops fields beyond a number silently; they are counted by whoever takes the request.
    this.server.maxHeadersCount = 0;
    this.server.on('connection', writeWhole);
    this.server.on(asked ? 'secureConnection' : 'connection', (socket: Socket) => this.callers.opened(socket));
    this.server.on('upgrade', (req: IncomingMessage, socket: Duplex, head: Buffer) =>
      this.changeOver(req, socket as Socket, head, options),
    );
    this.server.on('connect', (_req: IncomingMessage, socket: Duplex) => {
      this.changed(socket as Socket);
      socket.end(
        'HTTP/1.1 405 Method Not Allowed\r\nallow: GET, HEAD, POST, PUT, PATCH, DELETE, OPTIONS\r\ncontent-length: 0\r\nconnection: close\r\n\r\n',
      );
    });
  }

  async listen(port: number, host: string): Promise<number> {
    await new Promise<void>((resolve, reject) => {
      this.server.once('error', reject);
      this.server.listen(port, host, () => {
        this.server.off('error', reject);
        resolve();
      });
    });
    return (this.server.address() as AddressInfo).port;
  }

  /** Other certificates for connections that begin from now on. */
  renew(tls: TlsOptions): void {
    if ('setSecureContext' in this.server)
      (this.server as TlsServer).setSecureContext({ ...tls, minVersion: TLS_LEAST });
  }

  private changed(socket: Socket): void {
    this.callers.left(socket);
    this.sockets.add(socket);
    socket.on('error', () => socket.destroy());
    socket.once('close', () => this.sockets.delete(socket));
    // The handshake has the time of a request; whoever takes the socket over sets its own limits.
    socket.setTimeout(GATEWAY_LIMITS.requestMs, () => socket.destroy());
  }

  /** Replies to requests that came before on this connection go out first (RFC 9112 §9.3.2). */
  private changeOver(req: IncomingMessage, socket: Socket, head: Buffer, options: ListenerOptions): void {
    this.changed(socket);
    const owner = socket as Socket & { _httpMessage?: ServerResponse | null };
    const go = (): void => {
      if (socket.destroyed) return;
      const before = owner._httpMessage;
      if (before) before.once('close', () => setImmediate(go));
      else options.upgrade(req, socket, head);
    };
    go();
  }

  /**
   * Stops accepting. A connection that goes on gets its next reply with `Connection: close` (RFC 9112 §9.6); one on which nothing comes for a grace
   * period is closed. After GATEWAY_LIMITS.drainMs whatever is left is cut off, and told.
   */
  async drain(): Promise<DrainEnd> {
    this.draining = true;
    // The close of an HTTP server would drop idle connections, on which a request may be on its way.
    NetServer.prototype.close.call(this.server);
    const until = performance.now() + GATEWAY_LIMITS.drainMs;
    while ((this.callers.count > 0 || this.sockets.size > 0) && performance.now() < until) {
      this.callers.closeIdle(GATEWAY_LIMITS.drainGraceMs);
      await new Promise((r) => setTimeout(r, 20));
    }
    const cut = { requests: this.callers.busy, sockets: this.sockets.size };
    this.callers.destroyAll();
    for (const socket of this.sockets) socket.destroy();
    this.server.closeAllConnections();
    this.server.close(() => undefined);
    this.callers.stop();
    return cut;
  }
}
