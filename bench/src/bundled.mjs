import { spawnSync } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import process from 'node:process';
import { bundle } from '../../command/src/bundle.mjs';

/** `node bench/src/bundled.mjs ENTRY.ts`: runs a measurement as one bundled file, as what is measured is shipped; a loader would be measured too. */
const out = join(mkdtempSync(join(tmpdir(), 'hinge-bench-')), 'bench.mjs');
await bundle(process.argv[2], out);
process.exitCode = spawnSync(process.execPath, [out], { stdio: 'inherit' }).status ?? 1;
