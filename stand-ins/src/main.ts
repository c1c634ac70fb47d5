import { startBerths } from './index';

/** All stand-ins in one process: `node --import tsx src/main.ts [PORT of Berths]`. */
const berths = await startBerths(Number(process.argv[2] ?? 4331));
console.log(`Berths stand-in: http://127.0.0.1:${berths.port}/soap`);
const stop = () => void berths.stop().then(() => process.exit(0));
process.once('SIGTERM', stop);
process.once('SIGINT', stop);
