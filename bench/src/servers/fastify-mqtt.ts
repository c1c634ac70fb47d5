import fastify from 'fastify';
import { connectAsync } from 'mqtt';
import { randomUUID } from 'node:crypto';

/** The peer: a bare handler that checks the body by its schema, publishes with the standard client and answers 202. */
const [broker, qos] = [process.argv[2]!, Number(process.argv[3]) as 0 | 1];
const client = await connectAsync(broker, { protocolVersion: 5 });
const app = fastify();
app.post(
  '/berthed',
  { schema: { body: { type: 'object', properties: { vessel: { type: 'string' } }, required: ['vessel'] } } },
  async (request, reply) => {
    await client.publishAsync('bench/berthed', JSON.stringify(request.body), { qos });
    return reply.code(202).send({ id: randomUUID(), topic: 'berthed' });
  },
);
const address = await app.listen({ port: 0, host: '127.0.0.1' });
console.log(`port ${new URL(address).port}`);
