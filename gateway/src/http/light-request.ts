import { IncomingMessage } from 'node:http';

/** A request of a caller. One without a body has nothing to be read to its end: Node goes through all turns of a stream for it otherwise. */
export class LightRequest extends IncomingMessage {
  /** Called by Node when the reply is out and nobody has read the request. */
  _dump(): void {
    if (this.headers['content-length'] === undefined && this.headers['transfer-encoding'] === undefined) return;
    (IncomingMessage.prototype as unknown as { _dump(this: IncomingMessage): void })._dump.call(this);
  }
}

/**
 * Requests of which only those that `isSocket` names change the protocol. Node asks a request by its member `upgrade` once its head is read, and
 * takes the connection from the HTTP server where it is true; for all others it goes on in HTTP, body included, as if it had not been asked.
 */
export function lightRequest(isSocket: (req: IncomingMessage) => boolean): typeof IncomingMessage {
  return class extends LightRequest {
    private asked = false;
    private answer: boolean | undefined;

    get upgrade(): boolean {
      if (!this.asked) return false;
      if (this.method === 'CONNECT') return true;
      return (this.answer ??= this.headers.upgrade?.toLowerCase() === 'websocket' && isSocket(this));
    }

    set upgrade(value: boolean) {
      this.asked = value;
    }
  };
}
