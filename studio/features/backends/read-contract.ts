import { RequestError, send } from '../../lib/client';
import type { Reading } from './reading-worker';
import type { Preview } from './view';

export interface Source {
  readonly url?: string;
  readonly files?: Readonly<Record<string, string>>;
  readonly entry?: string;
}

/**
 * Reads a contract in a web worker, telling how far it is; the server only fetches what an address names. Where no worker can be had the server reads.
 * Rejects with RequestError, or with AbortError when the signal says so.
 */
export async function readSource(
  source: Source,
  progress: (done: number, of: number) => void,
  signal: AbortSignal,
): Promise<Preview> {
  const given = source.url
    ? await send<Source>('POST', '/api/backends/preview', { url: source.url, unread: true }, signal)
    : source;
  let worker: Worker;
  try {
    worker = new Worker(new URL('./reading-worker.ts', import.meta.url), { type: 'module' });
  } catch {
    return send<Preview>('POST', '/api/backends/preview', given, signal);
  }
  try {
    return await new Promise<Preview>((resolve, reject) => {
      worker.onmessage = ({ data }: MessageEvent<Reading>) => {
        if ('preview' in data) resolve(data.preview);
        else if ('failure' in data) reject(new RequestError(422, data.failure.message, data.failure.finding, {}));
        else progress(data.done, data.of);
      };
      worker.onerror = () => resolve(send<Preview>('POST', '/api/backends/preview', given, signal));
      signal.addEventListener('abort', () => reject(new DOMException('given up', 'AbortError')));
      worker.postMessage(given);
    });
  } finally {
    worker.terminate();
  }
}
