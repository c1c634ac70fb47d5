import { IncomingMessage } from 'node:http';

/** A request of a caller. One without a body has nothing to be read to its end: Node goes through all turns of a stream for it otherwise. */
export class LightRequest extends IncomingMessage {
  /** Called by Node when the reply is out and nobody has read the request. */
  _dump(): void {
    if (this.headers['content-length'] === undefined && this.headers['transfer-encoding'] === undefined) return;
    (IncomingMessage.prototype as unknown as { _dump(this: IncomingMessage): void })._dump.call(this);
  }
}
