import type { IncomingMessage, ServerResponse } from 'node:http';

/** How a stand-in misbehaves, set by POST /_behave with { "mode": …, "delayMs": … }. */
export interface Behaviour {
  /** down: the connection is broken off; wrong: the answer breaks the contract; garbled: it is no XML; cut: it ends in the middle. */
  mode: 'normal' | 'slow' | 'down' | 'wrong' | 'garbled' | 'cut';
  delayMs: number;
}

const MODES = ['normal', 'slow', 'down', 'wrong', 'garbled', 'cut'];

export async function readText(req: IncomingMessage, limit = 4 * 1024 * 1024): Promise<string> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of req as AsyncIterable<Buffer>) {
    size += chunk.length;
    if (size > limit) throw new Error('too large');
    chunks.push(chunk);
  }
  return Buffer.concat(chunks).toString('utf8');
}

/** Answers /_behave; true when the request was that. */
export async function takeBehaviour(req: IncomingMessage, res: ServerResponse, behaviour: Behaviour): Promise<boolean> {
  if (req.url !== '/_behave') return false;
  if (req.method === 'POST') {
    const wanted = JSON.parse((await readText(req)) || '{}') as Partial<Behaviour>;
    if (wanted.mode !== undefined && !MODES.includes(wanted.mode)) {
      res.writeHead(400, { 'content-type': 'text/plain' });
      res.end(`mode is one of ${MODES.join(', ')}\n`);
      return true;
    }
    behaviour.mode = wanted.mode ?? 'normal';
    behaviour.delayMs = wanted.delayMs ?? (behaviour.mode === 'slow' ? 3000 : 0);
  }
  res.writeHead(200, { 'content-type': 'application/json' });
  res.end(JSON.stringify(behaviour));
  return true;
}
