import { spawnSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import process from 'node:process';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

/**
 * Runs the commands that need neither database nor browser from one bundled file, made anew when a source changed: a
 * command starts in a fraction of the time, and `serve` runs the very code that a gateway of `up` runs.
 */
const root = join(dirname(fileURLToPath(import.meta.url)), '..');

function sources(folder, out = []) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) sources(path, out);
    else out.push(path);
  }
  return out;
}

const hash = createHash('sha256');
for (const path of [
  ...['core/src', 'gateway/src', 'command/src'].flatMap((f) => sources(join(root, f)).sort()),
  join(root, 'package-lock.json'),
])
  hash.update(path.slice(root.length)).update('\0').update(readFileSync(path));
const name = `command-${hash.digest('hex').slice(0, 20)}.mjs`;

/** Beside the data of `up`; where the project may not be written, in the temporary folder. */
function bundled() {
  for (const [folder, mode] of [
    [join(root, '.hinge'), 0o777],
    [join(tmpdir(), `hinge-${process.getuid?.() ?? 0}`), 0o700],
  ]) {
    const path = join(folder, name);
    try {
      mkdirSync(folder, { recursive: true, mode });
      // A folder that somebody else made in a shared place may hold anything.
      if (process.getuid && statSync(folder).uid !== process.getuid()) continue;
      if (existsSync(path)) return path;
      const own = `${path}.${randomBytes(4).toString('hex')}`;
      // In a process of its own: what the bundler needs is gone when the command begins.
      const script = join(root, 'command/src/bundle.mjs');
      const call = `import(${JSON.stringify(pathToFileURL(script).href)}).then((m) => m.bundle(...JSON.parse(process.argv[1])))`;
      const args = JSON.stringify([join(root, 'command/src/main.ts'), own, ['./up/up', './test']]);
      const { status } = spawnSync(process.execPath, ['-e', call, args], { stdio: ['ignore', 'inherit', 'inherit'] });
      if (status !== 0) throw new Error('the command cannot be bundled; the lines above say why');
      // Never the file itself: another call may have made it by now, and be about to read it.
      for (const old of readdirSync(folder))
        if (/^command-.*\.mjs$/.test(old) && old !== name) rmSync(join(folder, old), { force: true });
      renameSync(own, path);
      return path;
    } catch (error) {
      if (error.code !== 'EACCES' && error.code !== 'EROFS' && error.code !== 'EPERM') throw error;
    }
  }
  return undefined;
}

const file = bundled();
if (file) await import(pathToFileURL(file).href);
else
  process.stderr.write(
    'hinge: neither the project nor the temporary folder can be written; make one of them writable.\n',
  );
if (!file) process.exitCode = 1;
