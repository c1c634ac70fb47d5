import { Aedes } from 'aedes';
import { createServer, type AddressInfo, type Server } from 'node:net';

export interface StandInBroker {
  readonly port: number;
  readonly address: string;
  stop(): Promise<void>;
}

/** An MQTT 3.1.1 broker on loopback that keeps nothing on disk. */
export async function startBroker(port = 0): Promise<StandInBroker> {
  const aedes = await Aedes.createBroker({ id: 'stand-in', concurrency: 1000 });
  const server: Server = createServer((socket) => void aedes.handle(socket));
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', resolve);
  });
  const own = (server.address() as AddressInfo).port;
  return {
    port: own,
    address: `mqtt://127.0.0.1:${own}`,
    stop: () =>
      new Promise<void>((resolve) => {
        aedes.close(() => server.close(() => resolve()));
      }),
  };
}
