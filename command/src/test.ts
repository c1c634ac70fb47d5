import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { readFile, rm } from 'node:fs/promises';
import { join, relative } from 'node:path';
import { Failure } from './fail';

const GROUPS = ['lint', 'types', 'core', 'gateway', 'command', 'studio', 'e2e'] as const;
type Group = (typeof GROUPS)[number];

/** Runs the groups, prints one closing line `N passed, N failed`; returns the exit code. */
export async function test(names: readonly string[]): Promise<number> {
  const unknown = names.filter((n) => !GROUPS.includes(n as Group));
  if (unknown.length) throw new Failure(`there is no test group ${unknown.join(', ')}; there are ${GROUPS.join(', ')}`);
  const wanted = GROUPS.filter((g) => !names.length || names.includes(g));
  const root = process.env.HINGE_ROOT!;
  let passed = 0;
  let failed = 0;
  const tool = async (name: string, file: string, args: readonly string[]) => {
    const { code, said } = await quietly(root, [join(root, 'node_modules', file), ...args]);
    process.stdout.write(`${said}${name}: ${code === 0 ? 'clean' : 'failed'}\n`);
    if (code === 0) passed++;
    else failed++;
  };
  const lint = async () => {
    if (!wanted.includes('lint')) return;
    await tool('eslint', 'eslint/bin/eslint.js', ['.', '--max-warnings', '0']);
  };
  const rest = async () => {
    if (wanted.includes('lint'))
      await tool('prettier', 'prettier/bin/prettier.cjs', ['--check', '--log-level', 'warn', '.']);
    if (!wanted.includes('types')) return;
    await tool('types', 'typescript/bin/tsc', ['--noEmit', '-p', 'tsconfig.json']);
    await tool('types of the studio', 'typescript/bin/tsc', ['--noEmit', '-p', 'studio/tsconfig.json']);
  };
  await Promise.all([lint(), rest()]);
  const projects = wanted.filter((g) => g !== 'lint' && g !== 'types');
  // The browser has the machine to itself: its journeys wait for nothing else.
  for (const set of [projects.filter((p) => p !== 'e2e'), projects.filter((p) => p === 'e2e')]) {
    if (!set.length) continue;
    const counts = await jest(root, set);
    passed += counts.passed;
    failed += counts.failed;
    // What depends on processes, sockets and a browser may miss its moment on a busy machine: such a suite runs once
    // more, alone and from nothing, and both runs are told. What only computes gets no second run.
    const twice = counts.fallen.filter((f) => !relative(root, f.file).startsWith('core'));
    if (!twice.length) continue;
    process.stdout.write(`suites of processes or of journeys that failed: ${twice.length}; they run once more\n`);
    const again = await jest(root, set, ['--runTestsByPath', ...twice.map((f) => f.file)]);
    const first = twice.reduce((sum, f) => sum + f.failed, 0);
    process.stdout.write(
      `the second run: ${again.passed} passed, ${again.failed} failed; the first had ${first} failed\n`,
    );
    failed += again.failed - first;
    passed += again.passed - twice.reduce((sum, f) => sum + f.passed, 0);
  }
  process.stdout.write(`${passed} passed, ${failed} failed\n`);
  return failed > 0 || passed === 0 ? 1 : 0;
}

/** Two at once: what one says comes in one piece. */
function quietly(root: string, args: readonly string[]): Promise<{ code: number; said: string }> {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, args, {
      cwd: root,
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, NODE_OPTIONS: '' },
    });
    let said = '';
    for (const stream of [child.stdout, child.stderr])
      stream.setEncoding('utf8').on('data', (text: string) => (said += text));
    child.once('close', (code) => resolve({ code: code ?? 1, said }));
  });
}

/** A runner that has reported and does not exit is ended, and it is told: something in a test was left open. */
function run(root: string, args: readonly string[], report: string): Promise<number> {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, args, {
      cwd: root,
      stdio: 'inherit',
      env: { ...process.env, NODE_OPTIONS: '' },
    });
    let looks = 0;
    const timer = setInterval(() => {
      if (!existsSync(report) || ++looks < 12) return;
      process.stdout.write('the runner has reported and does not exit: something was left open; it is ended\n');
      child.kill('SIGKILL');
    }, 5_000);
    child.once('close', (code) => {
      clearInterval(timer);
      resolve(looks >= 12 ? 0 : (code ?? 1));
    });
  });
}

interface Counts {
  readonly passed: number;
  readonly failed: number;
  /** Files with a failure. */
  readonly fallen: readonly { readonly file: string; readonly passed: number; readonly failed: number }[];
}

async function jest(root: string, projects: readonly string[], more: readonly string[] = []): Promise<Counts> {
  const out = join(root, 'node_modules', `.hinge-jest-${process.pid}.json`);
  const args = [
    '--experimental-vm-modules',
    '--no-warnings',
    join(root, 'node_modules/jest/bin/jest.js'),
    '--selectProjects',
    ...projects,
    '--json',
    `--outputFile=${out}`,
    '--passWithNoTests',
    ...(more.length || projects.includes('e2e') ? ['--runInBand'] : []),
    ...more,
  ];
  const code = await run(root, args, out);
  const report = JSON.parse(await readFile(out, 'utf8').catch(() => '{}')) as {
    numPassedTests?: number;
    testResults?: { name: string; status: string; assertionResults: { status: string }[] }[];
  };
  await rm(out, { force: true });
  const fallen = (report.testResults ?? [])
    .filter((r) => r.status === 'failed')
    .map((r) => {
      const count = (status: string) => r.assertionResults.filter((a) => a.status === status).length;
      return { file: r.name, passed: count('passed'), failed: count('failed') || 1 };
    });
  const failed = fallen.reduce((sum, f) => sum + f.failed, 0);
  // A runner that fell over counts as a failure, whatever it wrote.
  return { passed: report.numPassedTests ?? 0, failed: failed || (code === 0 ? 0 : 1), fallen };
}
