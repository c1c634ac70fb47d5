import { join } from 'node:path';
import { HERE, loadApart, machine, startApart, stopAll } from './servers';
import { sideBySide, type Program } from './side-by-side';

/** `npm run bench:guarded [seconds]`: pass-through of 1 KiB with key, rate and sampled traces, against the bare pipe and without guards. */
const KEY = 'of-the-bench';
try {
  machine(false);
  loadApart();
  const backend = await startApart('backend', [join(HERE, 'servers/backend.ts')], /port (\d+)(.*)\n/);
  const origin = `http://127.0.0.1:${backend.port}`;
  const feed = await startApart('studio', [join(HERE, 'servers/feed.ts')], /port (\d+)/);
  const studio = `http://127.0.0.1:${feed.port}`;
  const gateway = (name: string, share: string): Program => ({
    name,
    args: [join(HERE, 'bundled.mjs'), join(HERE, 'servers/guarded.ts'), origin, KEY, share, studio],
    path: '/p/small',
  });
  const pipe: Program = {
    name: 'node:http + undici Pool.stream',
    args: [join(HERE, 'servers/bare-pipe.ts'), origin],
    path: '/small',
  };
  const headers = { 'x-api-key': KEY };
  await sideBySide(
    'pass-through, 1 KiB, guarded',
    [gateway('key + rate + 5 % traced', '0.05'), pipe, gateway('no guards', 'none')],
    headers,
  );
  await sideBySide('the same, all traced', [gateway('key + rate + all traced', '1'), pipe], headers);
} finally {
  stopAll();
}
