import { parseArgs } from 'node:util';
import { pino } from 'pino';
import { startGateway } from './gateway';
import { readTls } from './tls';
import { WHEN_AWAY } from './stores/link';

/** The gateway as a process: `node gateway.mjs --port 4320 --studio http://127.0.0.1:4310 --state DIR`, token in HINGE_GATEWAY_TOKEN, shared store in HINGE_STORE. */
const { values } = parseArgs({
  options: {
    port: { type: 'string', default: '4320' },
    'control-port': { type: 'string', default: '4321' },
    studio: { type: 'string' },
    state: { type: 'string' },
    store: { type: 'string', default: process.env.HINGE_STORE },
    'store-away': { type: 'string', default: 'own' },
    'tls-cert': { type: 'string' },
    'tls-key': { type: 'string' },
    'tls-ca': { type: 'string' },
    'tls-crl': { type: 'string' },
  },
});
const logger = pino({ base: null });
const whenAway = WHEN_AWAY.find((w) => w === values['store-away']);
if (!whenAway) throw new Error(`--store-away must be ${WHEN_AWAY.join(' or ')}`);
const token = process.env.HINGE_GATEWAY_TOKEN ?? '';
const tlsFiles = {
  cert: values['tls-cert'],
  key: values['tls-key'],
  ca: values['tls-ca'],
  crl: values['tls-crl'],
};
const gateway = await startGateway({
  port: Number(values.port),
  controlPort: Number(values['control-port']),
  stateDir: values.state,
  store: values.store ? { url: values.store, whenAway } : undefined,
  tls: await readTls(tlsFiles),
  tlsFiles,
  feed: values.studio ? { studio: values.studio, token } : undefined,
  log: (message, more) => logger.info(more ?? {}, message),
});
logger.info(`listening on ${values['tls-cert'] ? 'https' : 'http'}://127.0.0.1:${gateway.port}`);
const stop = () => void gateway.stop().then(() => process.exit(0));
process.once('SIGTERM', stop);
process.once('SIGINT', stop);
