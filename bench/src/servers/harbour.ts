import { startBerths, startTown } from '@hinge/stand-ins';
import { createServer } from 'node:http';

/** Four stand-ins behind one port, whose answers are computed once and then given as they were. `/_count` tells the calls since it was last asked. Prints its port. */
const berths = await startBerths(0);
const town = await startTown(0, { quick: true });
const known = new Map<string, Promise<{ status: number; type: string; body: Buffer }>>();
let count = 0;

const server = createServer((req, res) => {
  const chunks: Buffer[] = [];
  req.on('data', (d: Buffer) => chunks.push(d));
  req.on('end', () => {
    const path = req.url ?? '/';
    if (path === '/_count') {
      res.end(String(count));
      count = 0;
      return;
    }
    count++;
    const body = Buffer.concat(chunks);
    const key = `${req.method} ${path} ${body.toString('latin1')}`;
    let answer = known.get(key);
    if (!answer) {
      const origin = path.startsWith('/soap') ? `http://127.0.0.1:${berths.port}` : `http://127.0.0.1:${town.port}`;
      const headers = Object.fromEntries(
        ['content-type', 'soapaction', 'accept'].flatMap((h) => (req.headers[h] ? [[h, String(req.headers[h])]] : [])),
      );
      answer = fetch(origin + path, { method: req.method, headers, ...(body.length && { body }) }).then(async (r) => ({
        status: r.status,
        type: r.headers.get('content-type') ?? '',
        body: Buffer.from(await r.arrayBuffer()),
      }));
      known.set(key, answer);
    }
    void answer.then((a) => {
      res.writeHead(a.status, { 'content-type': a.type, 'content-length': a.body.length });
      res.end(a.body);
    });
  });
});
server.keepAliveTimeout = 60_000;
server.listen(0, '127.0.0.1', () => console.log(`port ${(server.address() as { port: number }).port}`));
