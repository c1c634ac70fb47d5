import { spawnSync } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import process from 'node:process';
import { pathToFileURL, URL } from 'node:url';

/**
 * `node bench/src/bundled.mjs ENTRY.ts [ARGUMENTS]`: runs a measurement as one bundled file, as what is measured is shipped; a loader would be measured too,
 * and so would a bundler in the same process.
 */
const out = join(mkdtempSync(join(tmpdir(), 'hinge-bench-')), 'bench.mjs');
const [entry] = process.argv.splice(2, 1);
const script = new URL('../../command/src/bundle.mjs', import.meta.url);
const call = `import(${JSON.stringify(script.href)}).then((m) => m.bundle(...JSON.parse(process.argv[1])))`;
const { status } = spawnSync(process.execPath, ['-e', call, JSON.stringify([entry, out])], {
  stdio: ['ignore', 'inherit', 'inherit'],
});
if (status !== 0) process.exit(1);
await import(pathToFileURL(out).href);
