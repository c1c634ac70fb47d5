import { Socket } from 'node:net';

/** A chunk as Node's writable streams hand it on (documented at `writable._writev`). */
interface Chunk {
  readonly chunk: string | Uint8Array;
  readonly encoding: BufferEncoding;
}

type Done = (error?: Error | null) => void;
const several = (Socket.prototype as unknown as { _writev(chunks: readonly Chunk[], done: Done): void })._writev;

/**
 * A short reply ends as two chunks: head and body in one text, and an empty one that tells when all is out. Writing both
 * at once makes Node copy the text into a buffer of its own; the text alone goes straight to the system.
 */
export function writeWhole(socket: Socket): void {
  (socket as unknown as { _writev: typeof several })._writev = function (this: Socket, chunks, done) {
    const [first, second] = chunks;
    if (chunks.length === 2 && second!.chunk.length === 0 && typeof first!.chunk === 'string')
      this._write(first!.chunk, first!.encoding, done);
    else several.call(this, chunks, done);
  };
}
