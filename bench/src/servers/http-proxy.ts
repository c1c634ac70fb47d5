import httpProxy from 'http-proxy';
import http from 'node:http';

const proxy = httpProxy.createProxyServer({
  target: process.argv[2],
  agent: new http.Agent({ keepAlive: true, maxSockets: 128 }),
});
proxy.on('error', (_e, _req, res) => res.destroy());
const server = http.createServer((req, res) => proxy.web(req, res));
server.keepAliveTimeout = 60_000;
server.listen(0, '127.0.0.1', () => console.log(`port ${(server.address() as { port: number }).port}`));
