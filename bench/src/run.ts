import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { at, compare, HERE, HINGE, machine, ROOT, run, start, startCopies, stopAll } from './servers';

/**
 * `npm run bench [seconds]`: requests per second of the gateway against its peers, three processes each that take turns, one run. `seconds`
 * times three seconds of load for each, in slices that take turns. `npm run bench 5 pass-through` does those jobs alone.
 */
/** An answer of the slowest peer takes three seconds when fifty wait. */
const LARGE_SLICE_SECONDS = 6;

try {
  machine();
  const backend = await start('backend', [join(HERE, 'servers/backend.ts')], /port (\d+)(.*)\n/);
  const origin = `http://127.0.0.1:${backend.port}`;
  const folder = mkdtempSync(join(tmpdir(), 'hinge-bench-'));
  const wsdl = join(ROOT, 'stand-ins/src/berths/contract/berths.wsdl');
  await run([
    HINGE,
    'draft',
    '--as',
    'proxy',
    '--address',
    origin,
    '--base',
    '/p',
    '--out',
    join(folder, 'proxy.yaml'),
  ]);
  await run([
    HINGE,
    'draft',
    wsdl,
    '--as',
    'rest',
    '--address',
    `${origin}/soap`,
    '--base',
    '/b',
    '--out',
    join(folder, 'soap.yaml'),
  ]);
  await run([
    HINGE,
    'draft',
    wsdl,
    '--as',
    'rest',
    '--address',
    `${origin}/soap-large`,
    '--base',
    '/l',
    '--out',
    join(folder, 'large.yaml'),
  ]);
  const gateway = await startCopies(
    'gateway',
    [HINGE, 'serve', join(folder, 'proxy.yaml'), join(folder, 'soap.yaml'), join(folder, 'large.yaml'), '--port', '0'],
    /listening on http:\/\/127\.0\.0\.1:(\d+)/,
  );
  const pipe = await startCopies(
    'node:http + undici Pool.stream',
    [join(HERE, 'servers/bare-pipe.ts'), origin],
    /port (\d+)/,
  );
  const proxy = await startCopies('http-proxy', [join(HERE, 'servers/http-proxy.ts'), origin], /port (\d+)/);
  await compare('pass-through, 1 KiB', [at(gateway, '/p/small'), at(pipe, '/small'), at(proxy, '/small')]);
  // Without http-proxy: none of its answers is whole in time, and what it has left to send takes the processor from the next.
  await compare('pass-through, 1 MiB', [at(gateway, '/p/large'), at(pipe, '/large')]);
  const soapHeaders = { officeCode: 'TH-22' };
  const small = await startCopies(
    'express + soap',
    [join(HERE, 'servers/express-soap.ts'), wsdl, `${origin}/soap`],
    /port (\d+)/,
  );
  await compare(
    `SOAP to REST, ${backend.words[0]} bytes`,
    [at(gateway, '/b/berths?minDepthMetres=4'), at(small, '/berths?minDepthMetres=4')],
    soapHeaders,
  );
  const large = await startCopies(
    'express + soap',
    [join(HERE, 'servers/express-soap.ts'), wsdl, `${origin}/soap-large`],
    /port (\d+)/,
  );
  await compare(
    `SOAP to REST, ${backend.words[1]} bytes`,
    [at(gateway, '/l/berths?minDepthMetres=4'), at(large, '/berths?minDepthMetres=4')],
    soapHeaders,
    LARGE_SLICE_SECONDS,
  );
} finally {
  stopAll();
}
