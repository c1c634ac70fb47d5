import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';

type Transfer = (this: ArrayBufferLike, length: number) => ArrayBuffer;

/** ArrayBuffer.prototype.transfer is part of ECMAScript 2024; Node 20 has it too, in contexts that are made after it was asked for. */
function transferOf(): Transfer | undefined {
  const { transfer } = ArrayBuffer.prototype as { transfer?: Transfer };
  if (transfer || !process.version.startsWith('v20.')) return transfer;
  setFlagsFromString('--harmony-rab-gsab-transfer');
  return runInNewContext('ArrayBuffer.prototype.transfer') as Transfer | undefined;
}

const transfer = transferOf();

/** Smaller ones may lie in Node's pool for small buffers, and are not worth the call. */
const LEAST_BYTES = 16 * 1024;

/**
 * Gives memory that was read from a connection back to the system at once, when all of it was handed on: it has no length after that.
 * Otherwise it lies until V8 looks for what is dead, and it looks through all of its heap for every 64 MiB of such memory: of large bodies
 * that costs more than handing them on. `bytes` must be the last that anybody reads of what came with them by one read; where more came
 * behind them, nothing is done.
 */
export function giveBack({ buffer, byteOffset, length }: Buffer): void {
  if (transfer && buffer.byteLength >= LEAST_BYTES && byteOffset + length === buffer.byteLength)
    transfer.call(buffer, 0);
}
