import { startBerths, startBroker, startTown } from './index';

/** All stand-ins in one process: `node --import tsx src/main.ts [PORT of Berths] [PORT of the town] [PORT of the broker]`. */
const berths = await startBerths(Number(process.argv[2] ?? 4331));
const town = await startTown(Number(process.argv[3] ?? berths.port + 1));
const broker = await startBroker(Number(process.argv[4] ?? town.port + 1));
console.log(`Berths stand-in: http://127.0.0.1:${berths.port}/soap`);
console.log(`Stand-ins of the town: http://127.0.0.1:${town.port}`);
console.log(`Stand-in broker: ${broker.address}`);
const stop = () => void Promise.all([berths.stop(), town.stop(), broker.stop()]).then(() => process.exit(0));
process.once('SIGTERM', stop);
process.once('SIGINT', stop);
