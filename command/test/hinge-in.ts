import { spawnSync } from 'node:child_process';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const ROOT = join(dirname(fileURLToPath(import.meta.url)), '../..');

/** The command as somebody types it, in a folder. */
export const hingeIn =
  (folder: string) =>
  (...args: string[]) => {
    const r = spawnSync(join(ROOT, 'hinge'), args, {
      encoding: 'utf8',
      cwd: folder,
      env: { ...process.env, NODE_OPTIONS: '' },
    });
    return { code: r.status, out: r.stdout, err: r.stderr };
  };
