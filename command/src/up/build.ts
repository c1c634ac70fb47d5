import { spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { bundle } from '../bundle.mjs';
import { Failure } from '../fail';

/** The gateway as one file: runs without the studio and without the sources. */
export const bundleGateway = (root: string, out: string): Promise<void> =>
  bundle(join(root, 'gateway/src/main.ts'), out);

/** Builds the studio when its sources changed since the last build. */
export async function buildStudio(root: string, say: (text: string) => void): Promise<void> {
  const stamp = join(root, 'studio/.next/hinge-sources');
  const hash = hashOf([join(root, 'studio'), join(root, 'core/src'), join(root, 'package-lock.json')]);
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === hash && existsSync(join(root, 'studio/.next/BUILD_ID')))
    return;
  say('building the studio (about a minute, once) …');
  const lines: string[] = [];
  const code = await new Promise<number | null>((resolve) => {
    const child = spawn(process.execPath, [join(root, 'node_modules/next/dist/bin/next'), 'build'], {
      cwd: join(root, 'studio'),
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, NODE_ENV: 'production', NODE_OPTIONS: '' },
    });
    child.stdout.on('data', (d: Buffer) => lines.push(d.toString()));
    child.stderr.on('data', (d: Buffer) => lines.push(d.toString()));
    child.once('close', resolve);
  });
  if (code !== 0)
    throw new Failure(`the studio cannot be built:\n${lines.join('').trim().split('\n').slice(-30).join('\n')}`);
  mkdirSync(join(root, 'studio/.next'), { recursive: true });
  writeFileSync(stamp, hash);
}

const SKIP = new Set(['node_modules', '.next', 'next-env.d.ts']);

function hashOf(paths: readonly string[]): string {
  const hash = createHash('sha256');
  const add = (path: string): void => {
    if (!existsSync(path)) return;
    if (statSync(path).isDirectory()) {
      for (const name of readdirSync(path).sort())
        if (!SKIP.has(name) && !/\.(test\.ts|tsbuildinfo)$/.test(name)) add(join(path, name));
    } else hash.update(path).update(readFileSync(path));
  };
  paths.forEach(add);
  return hash.digest('hex');
}
