import { draftProxy, sha256 } from '@hinge/core';
import { startGateway } from '@hinge/gateway';

/**
 * A gateway as it stands behind a studio: a proxy with the guards key and rate, and a share of requests traced and sent
 * to the studio. `guarded.ts ORIGIN KEY SHARE STUDIO`; with the share "none" neither guard nor studio.
 */
const [origin, key, share, studio] = process.argv.slice(2) as [string, string, string, string];
const plain = share === 'none';
const document = {
  ...draftProxy(origin, { name: 'Bench', base: '/p' }),
  ...(!plain && {
    apps: { bench: { name: 'Bench', keys: [await sha256(key)] } },
    guards: [{ kind: 'key' as const }, { kind: 'rate' as const, calls: 50_000, seconds: 1 }],
  }),
};
const config = {
  revision: 'bench',
  environment: 'bench',
  traceShare: Number(share),
  apis: [{ slug: 'bench', document }],
};
const gateway = await startGateway(
  plain
    ? { port: 0, config }
    : { port: 0, config: { ...config, traceShare: Number(share) }, feed: { studio, token: key } },
);
console.log(`port ${gateway.port}`);
process.on('SIGINT', () => process.exit(0));
