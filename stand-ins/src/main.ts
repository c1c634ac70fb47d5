import { startBerths, startBroker, startReceiver, startTown } from './index';

/** All stand-ins in one process: `node --import tsx src/main.ts [PORT of Berths] [PORT of the town] [PORT of the broker] [PORT of the receiver]`. */
const berths = await startBerths(Number(process.argv[2] ?? 4331));
const town = await startTown(Number(process.argv[3] ?? berths.port + 1));
const broker = await startBroker(Number(process.argv[4] ?? town.port + 1));
const receiver = await startReceiver(Number(process.argv[5] ?? broker.port + 1));
console.log(`Berths stand-in: http://127.0.0.1:${berths.port}/soap`);
console.log(`Stand-ins of the town: http://127.0.0.1:${town.port}`);
console.log(`Stand-in broker: ${broker.address}`);
console.log(`Agents' receiver: http://127.0.0.1:${receiver.port}/received`);
const stop = () =>
  void Promise.all([berths.stop(), town.stop(), broker.stop(), receiver.stop()]).then(() => process.exit(0));
process.once('SIGTERM', stop);
process.once('SIGINT', stop);
