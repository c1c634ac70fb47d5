import { refusalMessage, Refusal, SocketTalk, Stream, type Message } from '@hinge/core';
import { STATUS_CODES, type IncomingMessage } from 'node:http';
import type { Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import { WebSocketServer, type WebSocket } from 'ws';
import { GATEWAY_LIMITS } from '../limits';

/** What a socket asks of the server: the same way in as for any request, guards included. */
export interface SocketWays {
  listen(req: IncomingMessage): Promise<Message>;
  publish(req: IncomingMessage, text: string): Promise<Message>;
}

/** WebSockets (RFC 6455): events go out as CloudEvents in JSON, one to a message; what comes in is published, and answered by a message. A talk has a protocol of its own. */
export class Sockets {
  private readonly ws = serverFor('cloudevents.json');
  private readonly talks = new Map<string, WebSocketServer>();

  constructor(private readonly ways: SocketWays) {}

  async upgrade(req: IncomingMessage, socket: Duplex, head: Buffer): Promise<void> {
    socket.on('error', () => socket.destroy());
    const reply = await this.ways
      .listen(req)
      .catch((error: unknown) => refusalMessage(new Refusal('HNG-420', { cause: error }), req.url ?? '/', ''));
    const { stream } = reply.body;
    if (reply.status !== 101 || !(stream instanceof Stream)) {
      if (stream instanceof Stream) stream.close();
      refuse(socket, reply);
      return;
    }
    if (socket.destroyed) {
      stream.close();
      return;
    }
    // From here on it must show that it lives.
    (socket as Socket).setTimeout(0);
    this.serverOf(stream).handleUpgrade(req, socket, head, (client) => void this.serve(client, req, stream));
  }

  close(): void {
    for (const server of [this.ws, ...this.talks.values()])
      for (const client of server.clients) client.close(1001, 'the gateway is going');
  }

  private serverOf(stream: Stream): WebSocketServer {
    if (!(stream instanceof SocketTalk)) return this.ws;
    let server = this.talks.get(stream.protocol);
    if (!server) this.talks.set(stream.protocol, (server = serverFor(stream.protocol)));
    return server;
  }

  private async serve(client: WebSocket, req: IncomingMessage, stream: Stream): Promise<void> {
    let alive = true;
    const beat = setInterval(() => {
      if (!alive) {
        client.terminate();
        return;
      }
      alive = false;
      client.ping();
    }, GATEWAY_LIMITS.socketBeatMs);
    client.on('pong', () => (alive = true));
    client.on('error', () => client.terminate());
    client.once('close', () => {
      clearInterval(beat);
      stream.close();
    });
    let work = Promise.resolve();
    let waiting = 0;
    client.on('message', (data, binary) => {
      alive = true;
      if (binary) {
        client.close(1003, 'events are sent as text');
        return;
      }
      if (++waiting > GATEWAY_LIMITS.socketWaiting) {
        client.close(1008, 'wait for the answers');
        return;
      }
      const text = (data as Buffer).toString('utf8');
      if (stream instanceof SocketTalk) {
        waiting--;
        stream.take(text);
        return;
      }
      // One after the other: what one sender sends stays in its order.
      work = work.then(async () => {
        const reply = await this.ways.publish(req, text);
        waiting--;
        if (reply.body.pending) await reply.body.load();
        if (client.readyState === client.OPEN) client.send(answerText(reply));
      });
      work.catch(() => client.terminate());
    });
    try {
      for await (const text of stream) {
        await new Promise<void>((resolve, reject) => client.send(text, (error) => (error ? reject(error) : resolve())));
      }
      const own = stream instanceof SocketTalk ? stream.closing : undefined;
      if (own) client.close(own.code, own.words);
      else client.close(stream.behind ? 1013 : 1000, stream.behind ? 'too far behind: come back with ?after=' : '');
    } catch {
      client.terminate();
    }
  }
}

/** Takes one subprotocol, where the other side offers it. */
const serverFor = (protocol: string): WebSocketServer =>
  new WebSocketServer({
    noServer: true,
    maxPayload: GATEWAY_LIMITS.socketMessageBytes,
    handleProtocols: (wanted) => (wanted.has(protocol) ? protocol : false),
  });

/** {"accepted": …} or {"problem": …}: neither is an event. */
function answerText(reply: Message): string {
  const text = reply.body.text();
  return `{"${(reply.status ?? 500) < 400 ? 'accepted' : 'problem'}":${/json/.test(reply.headers['content-type'] ?? '') && text ? text : JSON.stringify(text)}}`;
}

function refuse(socket: Duplex, reply: Message): void {
  const status = reply.status ?? 500;
  const body = reply.body.pending ? '' : reply.body.text();
  const headers = Object.entries({
    ...reply.headers,
    'content-length': String(Buffer.byteLength(body)),
    connection: 'close',
  }).map(([k, v]) => `${k}: ${v}`);
  socket.end(`HTTP/1.1 ${status} ${STATUS_CODES[status] ?? ''}\r\n${headers.join('\r\n')}\r\n\r\n${body}`);
}

/** A CloudEvent says so by itself; anything else is data. */
export const socketType = (text: string): string =>
  /^\s*\{[^]*"specversion"\s*:/.test(text) ? 'application/cloudevents+json' : 'application/json';
