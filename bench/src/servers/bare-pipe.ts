import { createServer } from 'node:http';
import { Pool } from 'undici';

/** The peer of pass-through: node:http and undici's Pool.stream, nothing else. */
const pool = new Pool(process.argv[2]!, { connections: 128 });
const server = createServer((req, res) => {
  const body = req.headers['content-length'] || req.headers['transfer-encoding'] ? req : null;
  pool
    .stream(
      { path: req.url!, method: req.method as 'GET', headers: { accept: '*/*' }, body, opaque: res },
      ({ statusCode, headers, opaque }) => {
        const r = opaque as typeof res;
        r.writeHead(statusCode, headers as Record<string, string>);
        return r;
      },
    )
    .catch(() => res.destroy());
});
server.keepAliveTimeout = 60_000;
server.listen(0, '127.0.0.1', () => console.log(`port ${(server.address() as { port: number }).port}`));
