import { parseArgs } from 'node:util';
import { pino } from 'pino';
import { startGateway } from './gateway';

/** The gateway as a process: `node gateway.mjs --port 4320 --studio http://127.0.0.1:4310 --state DIR`, token in HINGE_GATEWAY_TOKEN. */
const { values } = parseArgs({
  options: {
    port: { type: 'string', default: '4320' },
    'control-port': { type: 'string', default: '4321' },
    studio: { type: 'string' },
    state: { type: 'string' },
  },
});
const logger = pino({ base: null });
const token = process.env.HINGE_GATEWAY_TOKEN ?? '';
const gateway = await startGateway({
  port: Number(values.port),
  controlPort: Number(values['control-port']),
  stateDir: values.state,
  feed: values.studio ? { studio: values.studio, token } : undefined,
  log: (message, more) => logger.info(more ?? {}, message),
});
logger.info(`listening on http://127.0.0.1:${gateway.port}`);
const stop = () => void gateway.stop().then(() => process.exit(0));
process.once('SIGTERM', stop);
process.once('SIGINT', stop);
