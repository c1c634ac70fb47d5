import { connect, type Socket } from 'node:net';

/** What came back on one connection, byte for byte, until it was closed or nothing came for `quietMs`. */
export function raw(port: number, bytes: string | readonly string[], quietMs = 300): Promise<string> {
  return new Promise((resolve, reject) => {
    let text = '';
    const socket: Socket = connect(port, '127.0.0.1');
    let timer = setTimeout(() => socket.destroy(), quietMs * 10);
    socket.on('data', (d) => {
      text += d.toString('latin1');
      clearTimeout(timer);
      timer = setTimeout(() => socket.destroy(), quietMs);
    });
    socket.once('error', (e: NodeJS.ErrnoException) =>
      e.code === 'ECONNRESET' || e.code === 'EPIPE' ? resolve(text) : reject(e),
    );
    socket.once('close', () => {
      clearTimeout(timer);
      resolve(text);
    });
    for (const b of [bytes].flat()) socket.write(b, 'latin1');
  });
}

/** Status of the first reply. */
export const statusOf = (text: string): number => Number(/^HTTP\/1\.1 (\d{3})/.exec(text)?.[1] ?? 0);
