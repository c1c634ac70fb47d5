import { join } from 'node:path';
import { at, compare, HERE, loadApart, machine, startApart, startCopies, stopAll } from './servers';

/** `npm run bench:guarded [seconds]`: pass-through of 1 KiB with key, rate and sampled traces, against the bare pipe and without guards. */
const KEY = 'of-the-bench';
try {
  machine();
  loadApart();
  const backend = await startApart('backend', [join(HERE, 'servers/backend.ts')], /port (\d+)(.*)\n/);
  const origin = `http://127.0.0.1:${backend.port}`;
  const feed = await startApart('studio', [join(HERE, 'servers/feed.ts')], /port (\d+)/);
  const studio = `http://127.0.0.1:${feed.port}`;
  const bundled = (name: string, share: string) =>
    startCopies(
      name,
      [join(HERE, 'bundled.mjs'), join(HERE, 'servers/guarded.ts'), origin, KEY, share, studio],
      /port (\d+)/,
    );
  const guarded = await bundled('key + rate + 5 % traced', '0.05');
  const all = await bundled('key + rate + all traced', '1');
  const plain = await bundled('no guards', 'none');
  const pipe = await startCopies(
    'node:http + undici Pool.stream',
    [join(HERE, 'servers/bare-pipe.ts'), origin],
    /port (\d+)/,
  );
  const headers = { 'x-api-key': KEY };
  await compare(
    'pass-through, 1 KiB, guarded',
    [at(guarded, '/p/small'), at(pipe, '/small'), at(plain, '/p/small')],
    headers,
  );
  // Apart: what it has left to send when its slice ends would take the processor from the next.
  await compare('the same, all traced', [at(all, '/p/small'), at(pipe, '/small')], headers);
} finally {
  stopAll();
}
