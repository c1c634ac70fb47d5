import express from 'express';
import http from 'node:http';
import * as soap from 'soap';

/** The peer of SOAP to REST: what one would wire together from `express` and the `soap` client. Same operation, same header. */
const [wsdl, endpoint] = process.argv.slice(2);
const agent = new http.Agent({ keepAlive: true, maxSockets: 128 });
const client = await soap.createClientAsync(wsdl!, { endpoint }, endpoint);
client.addSoapHeader({ 'b:officeCode': 'TH-22' }, '', 'b', 'urn:tarnhaven:berths:2');
type Call = (args: object, options: object) => Promise<[unknown]>;
const find = (client as unknown as { FindBerthsAsync: Call }).FindBerthsAsync.bind(client);
const app = express();
app.disable('x-powered-by');
app.get('/berths', (req, res) => {
  find({ criteria: { minDepthMetres: req.query.minDepthMetres } }, { httpAgent: agent }).then(
    ([result]) => res.json(result),
    (error: Error) => res.status(502).json({ message: error.message }),
  );
});
const server = app.listen(0, '127.0.0.1', () => console.log(`port ${(server.address() as { port: number }).port}`));
server.keepAliveTimeout = 60_000;
