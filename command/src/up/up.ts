import { seed, SIGN_INS, TOWN } from '@hinge/demo';
import { migrateDatabase } from '@hinge/studio/db';
import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { Failure } from '../fail';
import { buildStudio, bundleGateway } from './build';
import { ensureDatabase, startPostgres } from './postgres';
import { Watched } from './watched';

export interface UpOptions {
  readonly studioPort: number;
  readonly gatewayPort: number;
  readonly empty: boolean;
}

const say = (text: string): void => void process.stdout.write(`${text}\n`);

/** Starts everything, stays in the foreground, stops everything it started. */
export async function up(options: UpOptions): Promise<void> {
  const root = process.env.HINGE_ROOT!;
  const state = process.env.HINGE_STATE ?? join(root, '.hinge');
  mkdirSync(join(state, 'logs'), { recursive: true });
  const controlPort = options.gatewayPort + 1;
  const standInPort = Number(process.env.HINGE_STAND_IN_PORT ?? 4331);
  const townPort = standInPort + 1;
  const brokerPort = standInPort + 2;
  const receiverPort = standInPort + 3;
  for (const [port, what] of [
    [options.studioPort, 'the studio (--studio-port)'],
    [options.gatewayPort, 'the gateway (--gateway-port)'],
    [controlPort, "the gateway's control port, one above --gateway-port"],
    [standInPort, 'the stand-ins (HINGE_STAND_IN_PORT)'],
    [townPort, 'the stand-ins of the town, one above HINGE_STAND_IN_PORT'],
    [brokerPort, 'the stand-in broker, two above HINGE_STAND_IN_PORT'],
    [receiverPort, "the agents' receiver, three above HINGE_STAND_IN_PORT"],
  ] as const) {
    if (!(await isFree(port)))
      throw new Failure(`port ${port} is in use and is needed for ${what}; is another ./hinge up running?`);
  }

  let ended: (why?: string) => void = () => undefined;
  const done = new Promise<string | undefined>((resolve) => (ended = resolve));
  process.once('SIGINT', () => ended());
  process.once('SIGTERM', () => ended());
  process.once('SIGHUP', () => ended());
  const watched = new Watched(join(state, 'logs'), root, say, (why) => ended(why));
  const start = watched.start.bind(watched);

  say('starting PostgreSQL …');
  const postgres = await startPostgres(state);
  try {
    const secrets = keep(join(state, 'secrets.json'), () => ({
      studio: randomBytes(32).toString('base64url'),
      gateway: randomBytes(32).toString('base64url'),
    }));
    const database = await ensureDatabase(postgres, options.empty ? 'hinge_empty' : 'hinge');
    say('bringing the database up to date …');
    await migrateDatabase(database);
    const gatewayAddress = `http://127.0.0.1:${options.gatewayPort}`;
    const studioAddress = `http://127.0.0.1:${options.studioPort}`;
    const berthsAddress = `http://127.0.0.1:${standInPort}/soap`;
    await seed({
      connectionString: database,
      demo: !options.empty,
      gatewayToken: secrets.gateway!,
      gatewayAddress,
      berthsAddress,
      townAddress: `http://127.0.0.1:${townPort}`,
      brokerAddress: `mqtt://127.0.0.1:${brokerPort}`,
      receiverAddress: `http://127.0.0.1:${receiverPort}/hooks/`,
    });

    const tsx = `file://${join(root, 'node_modules/tsx/dist/loader.mjs')}`;
    say('starting the stand-ins …');
    start('stand-ins', [
      '--no-warnings',
      '--import',
      tsx,
      join(root, 'stand-ins/src/main.ts'),
      String(standInPort),
      String(townPort),
      String(brokerPort),
      String(receiverPort),
    ]);
    const bundle = join(state, 'gateway.mjs');
    await Promise.all([buildStudio(root, say), bundleGateway(root, bundle)]);
    say('starting the studio and the gateway …');
    start(
      'studio',
      [
        '--import',
        pathToFileURL(join(root, 'studio/forwarded.mjs')).href,
        join(root, 'node_modules/next/dist/bin/next'),
        'start',
        '-H',
        '127.0.0.1',
        '-p',
        String(options.studioPort),
      ],
      {
        NODE_ENV: 'production',
        DATABASE_URL: database,
        HINGE_SECRET: secrets.studio!,
        HINGE_STUDIO_URL: studioAddress,
        HINGE_ENDED: watched.file,
        // Everything of this command lives on loopback, the stand-ins' contracts too.
        HINGE_IMPORT_ALLOW: process.env.HINGE_IMPORT_ALLOW ?? 'loopback',
        BETTER_AUTH_TELEMETRY: '0',
      },
      join(root, 'studio'),
    );
    start(
      'gateway',
      [
        // As `./hinge serve` starts it.
        '--max-semi-space-size=32',
        '--use-largepages=silent',
        '--no-flush-bytecode',
        bundle,
        '--port',
        String(options.gatewayPort),
        '--control-port',
        String(controlPort),
        '--studio',
        studioAddress,
        '--state',
        join(state, options.empty ? 'gateway-empty' : 'gateway'),
      ],
      { HINGE_GATEWAY_TOKEN: secrets.gateway! },
    );
    const ready = Promise.all([
      answers(`${studioAddress}/sign-in`),
      answers(`http://127.0.0.1:${controlPort}/healthz`),
      answers(`http://127.0.0.1:${standInPort}/soap?wsdl`),
    ]);
    const early = await Promise.race([ready.then(() => 'ready' as const), done.then((why) => ({ why }))]);
    if (early !== 'ready') {
      if (early.why) throw new Failure(early.why);
      return;
    }
    say('');
    say(`  studio     ${studioAddress}`);
    say(`  gateway    ${gatewayAddress}   (control http://127.0.0.1:${controlPort})`);
    say(`  stand-in   http://127.0.0.1:${standInPort}/soap?wsdl   (Berths, SOAP)`);
    say(`             http://127.0.0.1:${townPort}   (${TOWN.join(', ')})`);
    say(`             http://127.0.0.1:${receiverPort}/received   (webhooks that the agents got)`);
    say('');
    for (const s of SIGN_INS) say(`  sign in as ${s.email}, password ${s.password}   (${s.role})`);
    say('');
    say('ready; Ctrl-C stops everything');
    watched.ready(postgres);
    const why = await done;
    if (why) throw new Failure(why);
  } finally {
    say('stopping …');
    await watched.stop();
    postgres.stop();
  }
}

function isFree(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const s = createServer();
    s.once('error', () => resolve(false));
    s.listen(port, '127.0.0.1', () => s.close(() => resolve(true)));
  });
}

/** Waits until the address answers anything at all. */
async function answers(url: string): Promise<void> {
  for (let tries = 0; tries < 600; tries++) {
    const ok = await fetch(url, { redirect: 'manual' }).then(
      (r) => r.status < 500,
      () => false,
    );
    if (ok) return;
    await new Promise((r) => setTimeout(r, 100));
  }
  throw new Failure(`${url} does not answer after a minute`);
}

/** Made once, kept beside the data. */
function keep(file: string, make: () => Record<string, string>): Record<string, string> {
  if (existsSync(file)) return JSON.parse(readFileSync(file, 'utf8')) as Record<string, string>;
  const value = make();
  writeFileSync(file, JSON.stringify(value), { mode: 0o600 });
  return value;
}
