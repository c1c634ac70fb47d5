import { build } from 'esbuild';

/** What packages in CommonJS expect to find. */
const BANNER =
  "import { createRequire as __hingeRequire } from 'node:module'; import { fileURLToPath as __hingePath } from 'node:url'; import { dirname as __hingeDir } from 'node:path'; const require = __hingeRequire(import.meta.url); const __filename = __hingePath(import.meta.url); const __dirname = __hingeDir(__filename);";

/** One file that runs without the sources. Throws with esbuild's own words. */
export async function bundle(entry, outfile, external = []) {
  await build({
    entryPoints: [entry],
    outfile,
    external,
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    logLevel: 'error',
    banner: { js: BANNER },
  });
}
