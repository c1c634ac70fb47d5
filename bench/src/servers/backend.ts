import { createServer } from 'node:http';

/** The backend of every measurement: fixed answers, nothing computed. Prints its port. */
const small = Buffer.alloc(1024, 'x');
const large = Buffer.alloc(1024 * 1024, 'x');
const berth = (i: number) =>
  `<b:berth number="N-${String(i).padStart(2, '0')}"><b:quay>North quay</b:quay><b:lengthMetres>118.50</b:lengthMetres><b:depthMetres>7.10</b:depthMetres><b:surface>stone</b:surface><b:service>water</b:service><b:closedUntil xsi:nil="true"/></b:berth>`;
const envelope = (n: number) =>
  Buffer.from(
    `<?xml version="1.0" encoding="UTF-8"?><s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><b:FindBerthsResponse xmlns:b="urn:tarnhaven:berths:2" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><b:total>${n}</b:total>${Array.from({ length: n }, (_, i) => berth(i % 100)).join('')}</b:FindBerthsResponse></s:Body></s:Envelope>`,
  );
const soapSmall = envelope(8);
const soapLarge = envelope(850);

const server = createServer((req, res) => {
  req.resume();
  if (req.url === '/soap' || req.url === '/soap-large') {
    const body = req.url === '/soap' ? soapSmall : soapLarge;
    req.on('end', () => {
      res.writeHead(200, { 'content-type': 'text/xml; charset=utf-8', 'content-length': body.length });
      res.end(body);
    });
    return;
  }
  const body = req.url?.includes('large') ? large : small;
  res.writeHead(200, { 'content-type': 'application/octet-stream', 'content-length': body.length });
  res.end(body);
});
server.keepAliveTimeout = 60_000;
server.listen(0, '127.0.0.1', () =>
  console.log(`port ${(server.address() as { port: number }).port} ${soapSmall.length} ${soapLarge.length}`),
);
