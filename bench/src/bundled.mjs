import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import process from 'node:process';
import { pathToFileURL } from 'node:url';
import { bundle } from '../../command/src/bundle.mjs';

/** `node bench/src/bundled.mjs ENTRY.ts [ARGUMENTS]`: runs a measurement as one bundled file, as what is measured is shipped; a loader would be measured too. */
const out = join(mkdtempSync(join(tmpdir(), 'hinge-bench-')), 'bench.mjs');
const [entry] = process.argv.splice(2, 1);
await bundle(entry, out);
await import(pathToFileURL(out).href);
